"""Counting an order's items down by scans: each scan is right, or says at once in what it is wrong.

What was scanned is a list of steps from which everything follows, so the last one can always be taken back.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

Verdict = Literal["right", "parcel_full", "complete", "serial_wanted", "serial_twice", "no_serial", "wrong", "surplus"]
MOST_SERIAL = 60


@dataclass(frozen=True, slots=True)
class Item:
    """Something to be put into a parcel: how many pieces, and the codes by which it is known (none: it is confirmed).

    ``parcel`` counts from 1; ``serial`` asks for the number of each piece.  A part of a set has the set's own codes as
    ``set_codes``: one scan of them counts ``per_set`` pieces of each part of the same ``of_set``.
    """

    key: str
    sku: str
    name: str
    pieces: int
    shelf: str = ""
    codes: frozenset[str] = frozenset()
    serial: bool = False
    parcel: int = 1
    each_g: int = 0
    set_codes: frozenset[str] = frozenset()
    of_set: str = ""
    per_set: int = 0


@dataclass(frozen=True, slots=True)
class Step:
    """What counted: of which item, how many pieces, and the serial number that was taken with it.

    ``with_last``: it counted by the same scan as the step before it, and goes back with that one.
    """

    key: str
    pieces: int = 1
    serial: str = ""
    with_last: bool = False


@dataclass(frozen=True, slots=True)
class Said:
    """What a scan meant: a verdict, and a sentence for the packer."""

    verdict: Verdict
    words: str

    @property
    def counts(self) -> bool:
        """Whether the scan counted."""
        return self.verdict in ("right", "parcel_full", "complete", "serial_wanted")


@dataclass(frozen=True, slots=True)
class Check:
    """An order on its way into its parcels: its items in the order of packing, and the steps so far."""

    items: tuple[Item, ...]
    steps: tuple[Step, ...] = ()

    def counted(self, item: Item) -> int:
        """Return how many pieces of an item are in."""
        return sum(step.pieces for step in self.steps if step.key == item.key)

    def left(self, item: Item) -> int:
        """Return how many pieces of an item are still missing."""
        return item.pieces - self.counted(item)

    @property
    def parcel(self) -> int:
        """The parcel that is being filled: the first one that is not full, else the last."""
        return next((i.parcel for i in self.items if self.left(i)), self.items[-1].parcel if self.items else 1)

    @property
    def next(self) -> Item | None:
        """The item to be scanned next; None once everything is in."""
        return next((item for item in self.items if self.left(item)), None)

    @property
    def wants_serial(self) -> Item | None:
        """The item whose serial number must be scanned before anything else."""
        last = self.steps[-1] if self.steps else None
        item = next((i for i in self.items if last and i.key == last.key), None)
        return item if item and last and item.serial and not last.serial else None

    @property
    def complete(self) -> bool:
        """Whether every piece and every serial number is in."""
        return self.next is None and self.wants_serial is None

    @property
    def serials(self) -> Mapping[str, tuple[str, ...]]:
        """The serial numbers taken, by SKU."""
        found: dict[str, tuple[str, ...]] = {}
        skus = {item.key: item.sku for item in self.items}
        for step in self.steps:
            if step.serial:
                found[skus[step.key]] = (*found.get(skus[step.key], ()), step.serial)
        return found

    def undo(self) -> Check:
        """Take back what the last scan counted; with none it stays as it is."""
        begins = next((n for n in range(len(self.steps) - 1, -1, -1) if not self.steps[n].with_last), 0)
        return replace(self, steps=self.steps[:begins])

    def in_parcel(self, parcel: int) -> Sequence[Item]:
        """Return the items of one parcel."""
        return [item for item in self.items if item.parcel == parcel]


def scan(check: Check, forms: Sequence[str], pieces: int = 1) -> tuple[Check, Said]:
    """Return the check after a scan, and what it meant; ``forms`` are the ways the code may be written."""
    if (wanting := check.wants_serial) is not None:
        return _serial(check, wanting, forms)
    known = {form.upper() for form in forms}
    meant = [item for item in check.items if not known.isdisjoint(code.upper() for code in item.codes)]
    if not meant:
        return _set(check, known, pieces)
    # Of something that goes into several parcels the one being filled comes first.
    item = next((i for i in meant if check.left(i)), None)
    if item is None:
        return check, Said("surplus", f"{meant[0].name}: all {meant[0].pieces} are in already; put this one back")
    return _count(check, item, pieces)


def _set(check: Check, known: set[str], pieces: int) -> tuple[Check, Said]:
    """Count the parts of a set whose own code was scanned; one that is not wanted whole any more counts nothing."""
    parts = [i for i in check.items if not known.isdisjoint(code.upper() for code in i.set_codes)]
    if not parts:
        return check, Said("wrong", "does not belong in this order")
    groups = dict.fromkeys(item.of_set for item in parts)
    for of_set in groups:
        mine = [item for item in parts if item.of_set == of_set]
        if all(check.left(item) >= item.per_set * pieces for item in mine):
            break
    else:
        return check, Said("surplus", "that set is in already, or parts of it are: scan what is still missing")
    if serial := next((item for item in mine if item.serial), None):
        return check, Said("no_serial", f"{serial.name} has a serial number: scan the parts one by one")
    steps = tuple(Step(item.key, item.per_set * pieces, with_last=n > 0) for n, item in enumerate(mine))
    after = replace(check, steps=(*check.steps, *steps))
    return after, _so_far(after, mine[-1])


def confirm(check: Check, pieces: int = 1) -> tuple[Check, Said]:
    """Count the item that is next by hand: it has no barcode.  One with a barcode must be scanned."""
    item = check.next
    if check.wants_serial is not None or item is None:
        return check, Said("wrong", "there is nothing to confirm now")
    if item.codes:
        return check, Said("wrong", f"{item.name} has a barcode: scan it")
    return _count(check, item, pieces)


def _count(check: Check, item: Item, pieces: int) -> tuple[Check, Said]:
    left = check.left(item)
    if pieces > left:
        more = "one more is" if left == 1 else f"{left} more are"
        return check, Said("surplus", f"{item.name}: only {more} needed, not {pieces}")
    if item.serial and pieces > 1:
        return check, Said("no_serial", f"{item.name}: scan each by itself, with its serial number")
    after = replace(check, steps=(*check.steps, Step(item.key, pieces)))
    if item.serial:
        return after, Said("serial_wanted", f"{item.name}: now its serial number")
    return after, _so_far(after, item)


def _so_far(after: Check, item: Item) -> Said:
    if after.complete:
        return Said("complete", "everything is in")
    if not any(after.left(i) for i in after.in_parcel(item.parcel)) and after.parcel != item.parcel:
        return Said("parcel_full", f"parcel {item.parcel} is full")
    left = after.left(item)
    return Said("right", f"{item.name}: {left} more" if left else item.name)


def _serial(check: Check, item: Item, forms: Sequence[str]) -> tuple[Check, Said]:
    number = forms[0].strip()[:MOST_SERIAL] if forms else ""
    mine = {code.upper() for i in check.items for code in i.codes}
    if not number or not mine.isdisjoint(form.upper() for form in forms):
        return check, Said("no_serial", f"{item.name}: that is a product's barcode; scan the serial number")
    if any(step.serial == number for step in check.steps):
        return check, Said("serial_twice", f"serial number {number} is in already")
    last = check.steps[-1]
    after = replace(check, steps=(*check.steps[:-1], replace(last, serial=number)))
    return after, _so_far(after, item)
