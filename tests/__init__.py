"""Tests; what each folder is for stands in docs/architecture.md."""

import gc

gc.disable()  # looking for garbage while all modules are read takes a quarter of the time; conftest turns it on again
