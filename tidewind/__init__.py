"""Tidewind: from imported orders to handed-over parcels."""
