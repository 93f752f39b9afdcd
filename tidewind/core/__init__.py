"""The computation of the job: values in, values out; no I/O, no clock, no randomness."""
