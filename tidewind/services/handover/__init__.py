"""What must leave today, and what threatens it."""

from tidewind.services.handover.alerts import alert_counts, low_balance
from tidewind.services.handover.departures import cutoff_at, default_place, departure_for, todays_departures

__all__ = [
    "alert_counts",
    "cutoff_at",
    "default_place",
    "departure_for",
    "low_balance",
    "todays_departures",
]
