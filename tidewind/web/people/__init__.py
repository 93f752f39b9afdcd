"""Sign-in, keys, presence."""

from tidewind.web.people import routes

ROUTERS = (routes.router,)
