"""Everything that is checked before money moves, said in one list; each check names its orders and a way out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from tidewind.core.ledger import Payer
from tidewind.core.quantities import money_text

Kind = Literal["gone", "snag", "approval", "moved", "conflict", "balance", "extras", "late", "warning"]
Level = Literal["stops", "asks", "tells"]
"""``stops``: cannot be bought as it is; ``asks``: somebody must say yes; ``tells``: worth knowing before."""
_LEVELS: Mapping[Kind, Level] = {
    "gone": "stops", "snag": "stops", "approval": "stops", "moved": "asks", "conflict": "asks", "balance": "stops",
    "extras": "tells", "late": "tells", "warning": "tells",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Candidate:
    """An order about to be bought; sums in minor units, ``shown`` is the price that the person saw, if any.

    ``gone`` says why it is no longer waiting, ``held_by`` who else is working on it; ``extras`` are the priced extras
    of its quote, by name; ``premium`` is what of the price is an insurer's.
    """

    order_id: int
    number: str
    carrier: str = ""
    service: str = ""
    labels: int = 1
    price: int | None = None
    shown: int | None = None
    stops: tuple[str, ...] = ()
    warns: tuple[str, ...] = ()
    approval: str = ""
    gone: str = ""
    held_by: str = ""
    extras: tuple[tuple[str, int], ...] = ()
    late: bool = False
    payer: Payer = "balance"
    premium: int = 0

    @property
    def from_balance(self) -> int:
        """What the balance must reach for: not what others are billed, nor what the insurer bills later."""
        return (self.price or 0) - self.premium if self.payer == "balance" else 0


@dataclass(frozen=True, slots=True)
class Check:
    """One finding: what it is about, how bad, in words, and the orders it is about; ``sum`` in minor units if any."""

    kind: Kind
    words: str
    order_ids: tuple[int, ...]
    sum: int = 0

    @property
    def level(self) -> Level:
        """How bad it is."""
        return _LEVELS[self.kind]


@dataclass(frozen=True, slots=True)
class Preflight:
    """What would be bought, what it costs by who pays and by order, and everything that was found."""

    order_ids: tuple[int, ...]
    labels: int
    total: int
    from_balance: int
    available: int
    checks: tuple[Check, ...] = field(default_factory=tuple)
    prices: Mapping[int, int] = field(default_factory=dict)

    @property
    def ready(self) -> bool:
        """Whether buying now would take every order that can be taken and ask nobody anything."""
        return bool(self.order_ids) and all(check.level == "tells" for check in self.checks)


def preflight(candidates: Sequence[Candidate], available: int, currency: str) -> Preflight:
    """Check orders before they are bought against a balance of ``available`` minor units of the shop's currency.

    What stops is left out of the total; what asks is in it, since a yes is all it takes.
    """
    groups: dict[tuple[Kind, str], list[Candidate]] = {}
    sums: dict[tuple[Kind, str], int] = {}
    good: list[Candidate] = []
    for one in candidates:
        stops = _stops(one)
        for kind, words in stops:
            groups.setdefault((kind, words), []).append(one)
        if stops:
            continue
        good.append(one)
        for kind, words, amount in _findings(one, currency):
            groups.setdefault((kind, words), []).append(one)
            sums[kind, words] = sums.get((kind, words), 0) + amount
    checks = [
        Check(kind, words, tuple(c.order_id for c in found), sums.get((kind, words), 0))
        for (kind, words), found in groups.items()
    ]
    total = sum(c.price or 0 for c in good)
    mine = sum(c.from_balance for c in good)
    if mine > available:
        words = f"The labels cost {money_text(mine, currency)}, the balance has {money_text(available, currency)}"
        checks.append(Check("balance", words, _over(good, available), mine - available))
    order = list(_LEVELS)
    checks.sort(key=lambda c: (order.index(c.kind), -len(c.order_ids), c.words))
    return Preflight(
        tuple(c.order_id for c in good),
        sum(c.labels for c in good),
        total,
        mine,
        available,
        tuple(checks),
        {c.order_id: c.price or 0 for c in good},
    )


def _stops(one: Candidate) -> list[tuple[Kind, str]]:
    if one.gone:
        return [("gone", one.gone[0].upper() + one.gone[1:])]
    found: list[tuple[Kind, str]] = [("snag", words) for words in one.stops]
    if one.approval:
        found.append(("approval", one.approval))
    if not found and one.price is None:
        found.append(("snag", "Has no price yet"))
    return found


def _findings(one: Candidate, currency: str) -> list[tuple[Kind, str, int]]:
    found: list[tuple[Kind, str, int]] = []
    price = one.price or 0
    if one.shown is not None and one.shown != price:
        words = f"Costs {money_text(price, currency)} now, {money_text(one.shown, currency)} when shown"
        found.append(("moved", words, price - one.shown))
    if one.held_by:
        found.append(("conflict", f"{one.held_by} is working on it", 0))
    found += [("extras", name, amount) for name, amount in one.extras]
    if one.late:
        found.append(("late", "Arrives after the promise", 0))
    found += [("warning", words, 0) for words in one.warns]
    return found


def _over(good: Sequence[Candidate], available: int) -> tuple[int, ...]:
    """Return the orders from the end that the balance does not reach for, so that dropping them makes the rest go."""
    left, over = available, []
    for one in good:
        if one.from_balance > left:
            over.append(one.order_id)
        else:
            left -= one.from_balance
    return tuple(over)
