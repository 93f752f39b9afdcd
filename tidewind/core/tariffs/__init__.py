"""Rate cards and the arithmetic of a parcel's price."""
