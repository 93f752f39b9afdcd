"""Lines of a card or a calendar, folded as both standards have it (RFC 6350, 3.2; RFC 5545, 3.1)."""

from __future__ import annotations

MOST_OCTETS = 75


def folded(line: str) -> str:
    """Return a line in parts of at most 75 octets, each but the first after a blank; no letter is cut in two."""
    parts, width = [""], 0
    for letter in line:
        size = len(letter.encode())
        if width + size > MOST_OCTETS:
            parts.append(" ")
            width = 1
        parts[-1] += letter
        width += size
    return "\r\n".join(parts)
