"""Prices."""

from tidewind.web.rates import offering, routes

ROUTERS = (routes.router, offering.router)
