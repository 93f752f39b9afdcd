"""What a printer says of itself, which of its media serves a paper, and its troubles in words (IPP, PWG 5100)."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from tidewind.core.written import Written

NEAR_MM10 = 25
"""How far a medium may be from the paper drawn for it, in tenths of a millimetre: 4 × 6 inch is 102 × 152 mm."""
_SIZE = re.compile(r"_(\d+(?:\.\d+)?)x(\d+(?:\.\d+)?)(mm|in)$")
_REASONS = {
    "media-empty": "out of paper", "media-needed": "waits for paper", "media-jam": "paper is jammed",
    "media-low": "paper runs low", "door-open": "its door is open", "cover-open": "its cover is open",
    "toner-empty": "out of toner", "toner-low": "toner runs low", "marker-supply-empty": "out of ink",
    "marker-supply-low": "ink runs low", "paused": "paused at the printer", "offline": "offline",
    "shutdown": "switched off", "input-tray-missing": "its tray is missing", "output-area-full": "its output is full",
    "spool-area-full": "its memory is full", "moving-to-paused": "is being paused",
    "connecting-to-device": "reaches for the device", "timed-out": "the device does not answer",
}  # fmt: skip
_GRADES = re.compile(r"-(?:report|warning|error)$")


@dataclass(frozen=True, slots=True)
class PrinterFacts:
    """What a printer said: who it is, formats, media by their names, dots an inch, raster kinds, and its troubles."""

    model: str = ""
    formats: tuple[str, ...] = ()
    media: tuple[str, ...] = ()
    ready: tuple[str, ...] = ()
    dpi: tuple[int, ...] = ()
    rasters: tuple[str, ...] = ()
    troubles: tuple[str, ...] = ()
    accepts: bool = True


def read_facts(written: Mapping[str, Any]) -> PrinterFacts:
    """Read what was kept of a printer; what an older version did not know is taken as not said."""
    many = {name: tuple(written.get(name, ())) for name in ("formats", "media", "ready", "dpi", "rasters", "troubles")}
    return PrinterFacts(model=str(written.get("model", "")), accepts=bool(written.get("accepts", True)), **many)


def write_facts(facts: PrinterFacts) -> Written:
    """Write what a printer said for keeping."""
    return {
        "model": facts.model,
        "formats": list(facts.formats),
        "media": list(facts.media),
        "ready": list(facts.ready),
        "dpi": list(facts.dpi),
        "rasters": list(facts.rasters),
        "troubles": list(facts.troubles),
        "accepts": facts.accepts,
    }


def size_of_medium(name: str) -> tuple[int, int] | None:
    """Return width and height in tenths of a millimetre of a medium's self-describing name (PWG 5101.1, clause 5)."""
    found = _SIZE.search(name)
    if not found:
        return None
    per_unit = 10 if found[3] == "mm" else 254
    width, height = (round(float(side) * per_unit) for side in found.groups()[:2])
    return width, height


def medium_for(size_mm10: tuple[int, int], facts: PrinterFacts) -> str:
    """Return the name of the medium that a paper is printed on; empty where the printer offers none of its size.

    What lies in the printer comes first.  A roll that takes any length says so by its least and greatest size.
    """
    for name in (*facts.ready, *facts.media):
        size = size_of_medium(name)
        if size and all(abs(there - asked) <= NEAR_MM10 for there, asked in zip(size, size_mm10, strict=True)):
            return name
    least = [size for name in facts.media if "_min_" in name and (size := size_of_medium(name))]
    most = [size for name in facts.media if "_max_" in name and (size := size_of_medium(name))]
    for low, high in zip(least, most, strict=False):
        if all(a <= asked <= b for a, asked, b in zip(low, size_mm10, high, strict=True)):
            width, height = (f"{side / 10:g}" for side in size_mm10)
            return f"custom_{width}x{height}mm_{width}x{height}mm"
    return ""


def medium_in_words(name: str) -> str:
    """Say a medium's size as a person reads it: ``102 × 152 mm``."""
    size = size_of_medium(name)
    return f"{round(size[0] / 10)} × {round(size[1] / 10)} mm" if size else name


def troubles_in_words(reasons: Sequence[str]) -> tuple[str, ...]:
    """Say what keeps a printer from printing (RFC 8011, 5.4.12); a reason that is not known stays as it was said."""
    bare = (_GRADES.sub("", reason) for reason in reasons)
    return tuple(dict.fromkeys(_REASONS.get(word, word.replace("-", " ")) for word in bare if word != "none"))
