"""Where things stand, and which named moves lead from one state to another; nobody else assigns a state."""
