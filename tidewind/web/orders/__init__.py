"""Orders."""

from tidewind.web.orders.routes import by_hand, feeds, fixing, imports, work_list

ROUTERS = (
    by_hand.router,
    feeds.router,
    fixing.router,
    imports.router,
    work_list.router,
)
