"""Use cases, one module per step of the day; each public function is one transaction of its caller's session."""
