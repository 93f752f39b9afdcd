"""What buyers are told: by what, in which words, how, when, and why not."""
