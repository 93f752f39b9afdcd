"""Prices."""

from tidewind.web.rates import routes

ROUTERS = (routes.router,)
