"""Across customs borders."""

from tidewind.web.customs import routes

ROUTERS = (routes.router,)
