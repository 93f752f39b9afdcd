"""What a person has said about one shipment's customs; what nobody said follows from products and shop."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from typing import Any, Final, Literal, cast

from tidewind.core.frozen import frozen
from tidewind.core.written import Written

DUTIES_PAID: Final = "duties_paid"
"""The extra by which the sender pays the duties (Incoterms 2020: DDP); without it the recipient does (DAP)."""
Purpose = Literal["sale", "gift", "sample", "return", "repair", "personal", "documents"]
PURPOSES: Final[tuple[Purpose, ...]] = ("sale", "gift", "sample", "return", "repair", "personal", "documents")


@frozen
class ItemSaid:
    """What was said of one line for this shipment alone: empty fields and None follow the product."""

    text: str = ""
    hs_code: str = ""
    origin: str = ""
    value_minor: int | None = None
    """Of one piece."""


@dataclass(frozen=True, slots=True)
class CustomsSaid:
    """Purpose, the recipient's number, papers that are there (kind → its number), lines by id.

    ``broker`` clears it for the recipient; ``duties_account`` is the carrier's number of a third party who pays duties.
    ``first_export`` is the number and day of the declaration under which goods that come back had left.
    """

    purpose: Purpose = "sale"
    recipient_number: str = ""
    papers: Mapping[str, str] = field(default_factory=dict)
    items: Mapping[str, ItemSaid] = field(default_factory=dict)
    first_export: str = ""
    broker: str = ""
    duties_account: str = ""


NOTHING_SAID = CustomsSaid()


def read_said(written: Mapping[str, Any]) -> CustomsSaid:
    """Return what was said from its written form.  Raises ValueError for what cannot be."""
    purpose = written.get("purpose", "sale")
    if purpose not in PURPOSES:
        raise ValueError(f"no such purpose: {purpose}")
    return CustomsSaid(
        purpose=cast("Purpose", purpose),
        recipient_number=str(written.get("recipient_number", "")),
        papers={str(kind): str(number) for kind, number in written.get("papers", {}).items()},
        items={str(line): ItemSaid(**one) for line, one in written.get("items", {}).items()},
        first_export=str(written.get("first_export", "")),
        broker=str(written.get("broker", "")),
        duties_account=str(written.get("duties_account", "")),
    )


def write_said(said: CustomsSaid) -> Written:
    """Return what was said in its written form: only what differs from what would hold anyway."""
    whole = asdict(said)
    return {name: value for name, value in whole.items() if value != asdict(NOTHING_SAID)[name]}
