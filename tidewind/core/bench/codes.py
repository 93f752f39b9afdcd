"""Payloads of code sheets: letters, digits and hyphens alone, which every scanner types alike on any keyboard."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from tidewind.core.scanned import SLIP

PREFIX = "TWCODE-"
"""What every code of ours begins with; no product may have a SKU or barcode that does (``collides``)."""
RECIPE_PREFIX = "RECIPE-"
"""How a recipe's code begins, which is understood on every page and not at the bench alone."""


class CodeKind(StrEnum):
    """What a code of ours stands for."""

    ACTION = "DO"
    RECIPE = "RECIPE"
    BOX = "BOX"
    PIECES = "PIECES"
    WHY = "WHY"
    BADGE = "BADGE"


class Action(StrEnum):
    """What a code can do at the bench."""

    WEIGH = "WEIGH"
    BUY_AND_PRINT = "BUY-AND-PRINT"
    BUY_ONLY = "BUY-ONLY"
    SKIP = "SKIP"
    UNDO = "UNDO"
    CONFIRM = "CONFIRM"
    SEND_PART = "SEND-PART"
    HOLD = "HOLD"
    PHOTO = "PHOTO"
    PRINT_AGAIN = "PRINT-AGAIN"
    RELEASE = "RELEASE"
    HELP = "HELP"


ACTION_WORDS: dict[Action, tuple[str, str]] = {
    Action.WEIGH: ("Take weight", "takes what the scale shows now"),
    Action.BUY_AND_PRINT: ("Buy and print", "buys the label and prints it"),
    Action.BUY_ONLY: ("Buy only", "buys the label, prints nothing"),
    Action.SKIP: ("Skip", "leaves this order for later, with what was scanned"),
    Action.UNDO: ("Undo", "takes back what this bench did last"),
    Action.CONFIRM: ("Confirm", "stands for an item that has no barcode"),
    Action.SEND_PART: ("Send what is here", "packs what was scanned; the rest stays an order of its own"),
    Action.HOLD: ("Hold", "holds the order until what is missing is there"),
    Action.PHOTO: ("Photo", "takes a picture of the parcel"),
    Action.PRINT_AGAIN: ("Print again", "prints the label of the last parcel once more"),
    Action.RELEASE: ("Release", "follows the slip of an order on hold, and lets it go"),
    Action.HELP: ("Help", "says what can be scanned now"),
}
REASONS = {"MISSING": "not on the shelf", "DAMAGED": "damaged", "WAITS": "comes in later"}
"""Why an order is not packed whole, by the code that says so."""


@dataclass(frozen=True, slots=True)
class Code:
    """A code of ours: its kind and what it names."""

    kind: CodeKind
    value: str

    @property
    def payload(self) -> str:
        """What is printed and scanned."""
        return f"{PREFIX}{self.kind.value}-{self.value}"


def read_code(scanned: str) -> Code | None:
    """Return the code of ours that was scanned; None for anything else, be it a product, a slip or a label."""
    plain = scanned.strip()
    upper = plain.upper()
    if upper.startswith(RECIPE_PREFIX):
        return Code(CodeKind.RECIPE, plain[len(RECIPE_PREFIX) :])
    if not upper.startswith(PREFIX):
        return None
    kind, _, value = plain[len(PREFIX) :].partition("-")
    try:
        return Code(CodeKind(kind.upper()), value) if value else None
    except ValueError:
        return None


def collides(product_code: str) -> bool:
    """Tell whether a product's SKU or barcode would be taken for a code of ours."""
    return product_code.strip().upper().startswith((PREFIX, RECIPE_PREFIX, SLIP))
