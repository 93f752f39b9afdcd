"""Tidewind: from imported orders to handed-over parcels."""

__version__ = "0.1.0"
