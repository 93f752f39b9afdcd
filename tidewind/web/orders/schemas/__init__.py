"""Bodies of this room."""
