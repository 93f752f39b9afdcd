"""What every room stands on: errors, news to pages, the queue, the outside world's handles, sealed secrets, history."""

from tidewind.services.base.again import TRIES, pause_s, tried_again
from tidewind.services.base.backing_off import is_due, is_time_again
from tidewind.services.base.by_itself import each_by_itself, side_by_side
from tidewind.services.base.errors import Conflict, Invalid, NotAllowed, NotFound, NotSignedIn, ServiceError, TooMany
from tidewind.services.base.health import figures_of_the_moment, parts_health
from tidewind.services.base.history import history_of, write_history
from tidewind.services.base.limits import MOST_ORDERS
from tidewind.services.base.locking import lock_orders, one_at_a_time
from tidewind.services.base.news import NEWS_CHANNEL, tell_what_is_written
from tidewind.services.base.outside import Outside
from tidewind.services.base.queue import defer
from tidewind.services.base.sealing import Sealer, place_of, secret_to_keep
from tidewind.services.base.shared_answers import SharedAnswers
from tidewind.services.base.signatures import is_signed
from tidewind.services.base.standing import (
    has_label,
    move_order,
    move_row,
    orders_with_label,
    standing_after,
    standing_of,
)
from tidewind.services.base.timekeeping import Jumps, Turns, keep_time

__all__ = [
    "MOST_ORDERS",
    "NEWS_CHANNEL",
    "TRIES",
    "Conflict",
    "Invalid",
    "Jumps",
    "NotAllowed",
    "NotFound",
    "NotSignedIn",
    "Outside",
    "Sealer",
    "ServiceError",
    "SharedAnswers",
    "TooMany",
    "Turns",
    "defer",
    "each_by_itself",
    "figures_of_the_moment",
    "has_label",
    "history_of",
    "is_due",
    "is_signed",
    "is_time_again",
    "keep_time",
    "lock_orders",
    "move_order",
    "move_row",
    "one_at_a_time",
    "orders_with_label",
    "parts_health",
    "pause_s",
    "place_of",
    "secret_to_keep",
    "side_by_side",
    "standing_after",
    "standing_of",
    "tell_what_is_written",
    "tried_again",
    "write_history",
]
