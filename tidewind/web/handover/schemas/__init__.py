"""Bodies of what must leave today: today and its departures, what is done to them, their pickups."""
