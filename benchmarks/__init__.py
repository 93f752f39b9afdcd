"""Commands that print ratios against a floor measured in the same run."""
