"""What must leave today, and what threatens it."""

from tidewind.services.handover.alerts import alert_counts, late_sales, low_balance
from tidewind.services.handover.departures import cutoff_at, default_place, departure_for, todays_departures
from tidewind.services.handover.first_hour import steps_missing
from tidewind.services.handover.lanes import Lane, days_shown, lanes_on

__all__ = [
    "Lane",
    "alert_counts",
    "cutoff_at",
    "days_shown",
    "default_place",
    "departure_for",
    "lanes_on",
    "late_sales",
    "low_balance",
    "steps_missing",
    "todays_departures",
]
