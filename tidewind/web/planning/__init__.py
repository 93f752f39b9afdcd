"""The layers of planning."""

from tidewind.web.planning import routes

ROUTERS = (routes.router,)
