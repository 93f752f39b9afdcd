"""Pickups: what a carrier's rules say about when its van comes, what it takes along, and what that costs."""
