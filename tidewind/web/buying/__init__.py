"""Batches and purchases."""

from tidewind.web.buying.routes import batches, purchases

ROUTERS = (
    batches.router,
    purchases.router,
)
