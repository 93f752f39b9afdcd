"""Across a customs border: what is declared, what is needed for it, what it costs at the border, and whose numbers."""
