"""Money."""

from tidewind.web.books import routes

ROUTERS = (routes.router,)
