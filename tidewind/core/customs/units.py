"""In which unit customs count an article: by the piece, by the pair, or by weight.

The units are those that the World Customs Organization recommends for headings of the Harmonized System, simplified
to what a parcel shop can say of its goods; where a heading counts in litres or square metres we say the pieces.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from tidewind.core.customs.codes import plain_code
from tidewind.core.quantities import decimal_text


class CustomsUnit(StrEnum):
    """How an article is counted, with its code in UN/ECE Recommendation 20."""

    PIECE = "piece"
    PAIR = "pair"
    KILOGRAM = "kilogram"

    @property
    def code(self) -> str:
        """The code of UN/ECE Recommendation 20."""
        return {"piece": "H87", "pair": "PR", "kilogram": "KGM"}[self.value]


@dataclass(frozen=True, slots=True)
class Counted:
    """So much of something in the unit in which customs count it, as a decimal."""

    amount: str
    unit: CustomsUnit


# Headings and chapters; the longest beginning of a code holds.  What is none of these is counted by weight.
_PAIRS = ("6115", "6116", "6216", "6401", "6402", "6403", "6404", "6405", "900490")
_PIECES = tuple(
    "0602 42 6101 6103 6104 6109 6110 6201 6203 6204 6205 6211 65 66 8201 8205 8211 8213 8214 84 85 90 91 92 9405 9503"  # noqa: SIM905 - a row of them reads better
    " 9504 9603 9617 4419".split()
)


def unit_of(hs_code: str) -> CustomsUnit:
    """Return the unit of a heading; by the piece where no code is known yet."""
    plain = plain_code(hs_code)
    if not plain:
        return CustomsUnit.PIECE
    found = max(
        ((len(begin), unit) for begins, unit in _BY_UNIT for begin in begins if plain.startswith(begin)), default=None
    )
    return found[1] if found else CustomsUnit.KILOGRAM


def counted(hs_code: str, pieces: int, net_g: int) -> Counted:
    """Return how much of an article goes, in its customs unit; what is sold in pairs is one piece a pair."""
    unit = unit_of(hs_code)
    return Counted(decimal_text(net_g) if unit is CustomsUnit.KILOGRAM else str(pieces), unit)


def pieces_text(hs_code: str, pieces: int) -> str:
    """Write how many of an article there are; that a pair is one of them is said: ``3``, ``1 pair``, ``3 pairs``."""
    if unit_of(hs_code) is not CustomsUnit.PAIR:
        return str(pieces)
    return "1 pair" if pieces == 1 else f"{pieces} pairs"


_BY_UNIT = ((_PAIRS, CustomsUnit.PAIR), (_PIECES, CustomsUnit.PIECE))
