"""Papers and printers."""

from tidewind.web.papers import routes

ROUTERS = (routes.router,)
