"""News to open pages and health."""

from tidewind.web.base import routes

ROUTERS = (routes.router, routes.router_without_prefix)
