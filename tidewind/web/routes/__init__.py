"""One module per subject."""
