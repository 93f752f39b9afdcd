"""What every room stands on: errors, news to pages, the queue, the outside world's handles, sealed secrets, history."""

from tidewind.services.base.errors import Conflict, Invalid, NotAllowed, NotFound, NotSignedIn, ServiceError, TooMany
from tidewind.services.base.health import parts_health
from tidewind.services.base.history import history_of, write_history
from tidewind.services.base.limits import MOST_ORDERS
from tidewind.services.base.news import NEWS_CHANNEL, tell
from tidewind.services.base.outside import Outside
from tidewind.services.base.queue import defer
from tidewind.services.base.sealing import Sealer
from tidewind.services.base.standing import has_label, move_order, move_row, standing_after, standing_of

__all__ = [
    "MOST_ORDERS",
    "NEWS_CHANNEL",
    "Conflict",
    "Invalid",
    "NotAllowed",
    "NotFound",
    "NotSignedIn",
    "Outside",
    "Sealer",
    "ServiceError",
    "TooMany",
    "defer",
    "has_label",
    "history_of",
    "move_order",
    "move_row",
    "parts_health",
    "standing_after",
    "standing_of",
    "tell",
    "write_history",
]
