"""The made-up shop that a first start shows."""
