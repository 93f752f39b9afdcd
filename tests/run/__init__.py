"""How a run of the tests is put together: what its processes share, who does what, how long it may be."""
