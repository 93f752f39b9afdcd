"""Where a parcel is, how long that usually takes, and what needs somebody."""
