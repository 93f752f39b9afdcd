"""What must leave today and what threatens it: departures, the vans that fetch them, lists, the driver's count."""

from tidewind.services.handover.alerts import alert_counts, low_balance, unsettled
from tidewind.services.handover.booking import settle_pickups
from tidewind.services.handover.chasing import answer_missed, chase_pickup, chase_text, open_missed
from tidewind.services.handover.counting import (
    Counted,
    HandedOver,
    count_out,
    hand_over,
    open_count_again,
    take_count_back,
)
from tidewind.services.handover.departures import (
    DepartureKey,
    Fetched,
    cutoff_at,
    departure_for,
    todays_departures,
)
from tidewind.services.handover.first_hour import steps_missing
from tidewind.services.handover.lanes import Lane, days_shown, lanes_on, lanes_to_begin_with
from tidewind.services.handover.leaving import Moved, move_pile
from tidewind.services.handover.manifests import (
    Listed,
    close_manifest,
    listed_of,
    listed_on,
    manifest_by_number,
    reopen_manifest,
    tell_manifests,
    why_not_void,
)
from tidewind.services.handover.passing import pass_departures
from tidewind.services.handover.pickups import (
    PickupsAsked,
    PickupWish,
    ask_for_pickups,
    calendar_key,
    cancel_pickup,
    newest_pickups,
    pickup_by_calendar_key,
    shop_calendar,
)
from tidewind.services.handover.points import PointSeen, ask_for_points, bring, bring_in_points, points_seen
from tidewind.services.handover.standing import (
    StandingWish,
    ask_standing,
    end_standing,
    set_standing,
    standing_pickups,
)
from tidewind.services.handover.ways import Ways, ways_of

__all__ = [
    "Counted",
    "DepartureKey",
    "Fetched",
    "HandedOver",
    "Lane",
    "Listed",
    "Moved",
    "PickupWish",
    "PickupsAsked",
    "PointSeen",
    "StandingWish",
    "Ways",
    "alert_counts",
    "answer_missed",
    "ask_for_pickups",
    "ask_for_points",
    "ask_standing",
    "bring",
    "bring_in_points",
    "calendar_key",
    "cancel_pickup",
    "chase_pickup",
    "chase_text",
    "close_manifest",
    "count_out",
    "cutoff_at",
    "days_shown",
    "departure_for",
    "end_standing",
    "hand_over",
    "lanes_on",
    "lanes_to_begin_with",
    "listed_of",
    "listed_on",
    "low_balance",
    "manifest_by_number",
    "move_pile",
    "newest_pickups",
    "open_count_again",
    "open_missed",
    "pass_departures",
    "pickup_by_calendar_key",
    "points_seen",
    "reopen_manifest",
    "set_standing",
    "settle_pickups",
    "shop_calendar",
    "standing_pickups",
    "steps_missing",
    "take_count_back",
    "tell_manifests",
    "todays_departures",
    "unsettled",
    "ways_of",
    "why_not_void",
]
