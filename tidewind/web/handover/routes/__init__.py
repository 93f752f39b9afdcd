"""Today and departures; what acts on a departure; pickups and their calendar."""
