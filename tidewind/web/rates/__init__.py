"""Prices."""

from tidewind.web.rates import for_stores, offering, routes

ROUTERS, FIRST = (routes.router, offering.router), for_stores.router
"""``FIRST`` is asked by stores, a thousand times a minute: whoever looks for a route must come to it first."""
