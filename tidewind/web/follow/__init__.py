"""What follows a purchase."""

from tidewind.web.follow.routes import (
    claims,
    followed,
    following,
    messages,
    notices,
    personal_data,
    requests,
    returns,
    sending_back,
    stopping,
    tracking,
    wishing,
)

ROUTERS = (
    claims.router,
    followed.router,
    following.router,
    messages.router,
    notices.router,
    personal_data.router,
    requests.router,
    returns.router,
    sending_back.router,
    stopping.router,
    tracking.router,
    wishing.router,
)
