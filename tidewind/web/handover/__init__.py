"""What must leave today, and how it is handed over."""

from tidewind.web.handover.routes import departing, pickups, points, today

ROUTERS = (today.router, departing.router, pickups.router, pickups.public, points.router)
