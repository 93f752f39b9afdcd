"""What stands on a printed paper, read back from it."""

from __future__ import annotations

import subprocess
from pathlib import Path

import zxingcpp
from PIL import Image


def codes(pdf: bytes, folder: Path, dpi: int = 203) -> list[dict[str, str]]:
    """Rasterise at the printer's resolution in pure black and white, and read what a scanner would."""
    (folder / "x.pdf").write_bytes(pdf)
    subprocess.run(["pdftoppm", "-r", str(dpi), "-mono", folder / "x.pdf", folder / "x"], check=True)
    pages = sorted(folder.glob("x-*.pbm"))
    return [{b.format.name: b.text for b in zxingcpp.read_barcodes(Image.open(p).convert("L"))} for p in pages]


def text_of(pdf: bytes, folder: Path) -> str:
    (folder / "t.pdf").write_bytes(pdf)
    return subprocess.run(
        ["pdftotext", "-layout", folder / "t.pdf", "-"], check=True, capture_output=True, text=True
    ).stdout
