"""Countries' address formats and checks."""
