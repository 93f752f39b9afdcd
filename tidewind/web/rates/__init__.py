"""Prices."""

from tidewind.web.rates import checkout, routes

ROUTERS = (routes.router, checkout.router)
