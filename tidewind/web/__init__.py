"""HTTP: parse, call a service, present."""
