"""Orders."""

from tidewind.web.orders.routes import by_hand, fixing, imports, work_list

ROUTERS = (
    by_hand.router,
    fixing.router,
    imports.router,
    work_list.router,
)
