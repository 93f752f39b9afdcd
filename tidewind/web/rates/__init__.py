"""Prices."""

from tidewind.web.rates import for_stores, offering, routes

ROUTERS = (routes.router, offering.router, for_stores.router)
