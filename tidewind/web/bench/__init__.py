"""The packing bench."""

from tidewind.web.bench import routes

ROUTERS = (routes.router,)
"""What the application serves of this room."""
