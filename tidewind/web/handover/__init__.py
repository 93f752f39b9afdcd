"""What must leave today."""

from tidewind.web.handover import routes

ROUTERS = (routes.router,)
