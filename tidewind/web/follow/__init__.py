"""What follows a purchase."""

from tidewind.web.follow.routes import requests, returns, tracking

ROUTERS = (
    requests.router,
    returns.router,
    tracking.router,
)
