"""What must leave today, and how it is handed over."""

from tidewind.web.handover.routes import departing, pickups, today

ROUTERS = (today.router, departing.router, pickups.router, pickups.public)
