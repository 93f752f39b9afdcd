"""The street in a copied block, and what stands before or behind it for a flat or a floor."""

from __future__ import annotations

import re
from collections.abc import Sequence

from tidewind.core.addresses import copied_words as words
from tidewind.core.addresses.copied_found import Found


def take_street(lines: Sequence[str], found: Found) -> list[str]:
    """Take the street: the line with a street word, else the last one with a figure; a flat or floor goes to extra."""
    rest = []
    for line in lines:  # where rural post goes by rounds, the round is no street
        if words.RURAL.match(line) and found.fields.get("country") == "NZ":
            found.put("extra", line)
        else:
            rest.append(line)
    if "street" in found.fields:
        return rest
    units = [
        n for n, line in enumerate(rest) if words.UNIT.match(line) and n > 0 and not words.BEFORE_STREET.match(line)
    ]
    streets = [line for n, line in enumerate(rest) if n > 0 and n not in units and _is_street(line)]
    for n in reversed(units):
        if streets or not _is_street(rest[n]):
            found.put("extra", rest.pop(n))
    candidates = [n for n, line in enumerate(rest) if n > 0 or len(rest) == 1 or words.PO_BOX.match(line)]
    with_word = [n for n in candidates if words.STREET.search(rest[n]) and not words.COMPANY.search(rest[n])]
    with_figure = [n for n in candidates if any(ch.isdigit() for ch in rest[n])]
    both = [n for n in with_word if n in with_figure]
    at = next((group[0] for group in (both, with_word) if group), with_figure[-1] if with_figure else None)
    doubt = "" if both or with_word else "no street word was seen"
    if at is None:
        at = candidates[-1] if len(candidates) >= 1 and len(rest) > 1 else None
        doubt = "no house number was seen"
    if at is None:
        return rest
    put_street(rest.pop(at), found, doubt)
    if at < len(rest) and at > 0:  # what stands between street and town belongs to the place
        found.put("extra", rest.pop(at))
    return rest


def put_street(street: str, found: Found, doubt: str) -> None:
    """Put a street, and what stands before or behind it for a flat or floor into extra."""
    before = words.BEFORE_STREET.match(street)
    behind = words.UNIT_BEHIND.fullmatch(street) or words.UNIT_RUNS_ON.match(street)
    if behind is None and words.STREET.search(street):
        behind = words.BEHIND_COMMA.match(street)
    if before and "extra" not in found.fields:
        found.put("extra", before[1])
        street = before[2]
    elif behind and "extra" not in found.fields:
        found.put("extra", behind[2])
        street = behind[1].rstrip(" ,-–")
    found.put("street", street, doubt)


def name_first(lines: list[str]) -> list[str]:
    """Let the name stand first where a block begins with the street or the flat and the name comes last."""
    if len(lines) < 2 or words.FOR_PERSON.match(lines[0]):
        return lines
    first, last = lines[0], lines[-1]
    place = _is_street(first) or bool(words.UNIT.match(first)) or bool(re.search(r"\s\d+\s?[A-Za-z]?$", first))
    plain = not any(ch.isdigit() for ch in last) and not words.STREET.search(last) and not words.UNIT.match(last)
    if place and plain and not words.COMPANY.search(first):
        return [last, *lines[:-1]]
    return lines


def _is_street(line: str) -> bool:
    return bool(words.STREET.search(line)) and any(ch.isdigit() for ch in line)
