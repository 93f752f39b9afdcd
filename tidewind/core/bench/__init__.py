"""The packing bench: what a scan means for an order being packed, what the scale says, what code sheets hold."""
