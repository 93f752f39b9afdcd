"""Where the run keeps the one loaded demo shop: its first process makes the folder and takes it away."""

from __future__ import annotations

import os
import shutil
import tempfile
from pathlib import Path

DEMO_FOLDER = "TIDEWIND_TEST_DEMO_FOLDER"


def make() -> None:
    """Make the folder, whose path the other processes of the run inherit."""
    os.environ[DEMO_FOLDER] = folder = tempfile.mkdtemp(prefix="tidewind-demo-")
    Path(folder).chmod(0o755)


def take_away() -> None:
    shutil.rmtree(os.environ.pop(DEMO_FOLDER, "/nowhere"), ignore_errors=True)
