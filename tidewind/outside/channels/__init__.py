"""Sales channels: one client for each way of writing orders, all giving the same values."""
