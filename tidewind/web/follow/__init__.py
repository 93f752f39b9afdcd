"""What follows a purchase."""

from tidewind.web.follow.routes import personal_data, requests, returns, tracking

ROUTERS = (
    personal_data.router,
    requests.router,
    returns.router,
    tracking.router,
)
