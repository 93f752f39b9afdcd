"""What follows a purchase."""

from tidewind.web.follow.routes import following, personal_data, requests, returns, tracking

ROUTERS = (
    following.router,
    personal_data.router,
    requests.router,
    returns.router,
    tracking.router,
)
