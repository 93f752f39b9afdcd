"""What the program needs from the outside world: one protocol per kind, and its real client."""
