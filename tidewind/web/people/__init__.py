"""Sign-in, people, keys, presence."""

from tidewind.web.people import members, routes

ROUTERS = (routes.router, members.router)
