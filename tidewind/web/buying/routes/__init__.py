"""Routes of this room."""
