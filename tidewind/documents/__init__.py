"""Dataclass in, PDF bytes out."""
