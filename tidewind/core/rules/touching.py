"""Which orders another version of the rules can touch, told from the facts and rules each was last planned by."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from tidewind.core.rules.facts import Facts
from tidewind.core.rules.rule import Rule


@dataclass(frozen=True, slots=True)
class RuleChange:
    """What differs between two versions: ids of rules that are gone from where they were, and rules that are new there.

    A rule that was renamed, moved, changed or switched is in both: the trail names rules by number and name.
    """

    gone: frozenset[str]
    fresh: tuple[Rule, ...]

    def touches(self, applied: Collection[str], facts: Facts) -> bool:
        """Tell whether an order's plan can be another: ``applied`` are the ids of the rules that held for it.

        Never False for an order that the change makes different; a rule below one that stops may give a vain True.
        """
        return not self.gone.isdisjoint(applied) or any(rule.holds(facts) is True for rule in self.fresh)


def change_between(before: Sequence[Rule], after: Sequence[Rule]) -> RuleChange:
    """Return what differs between two versions of the rules; those switched off count as not there."""
    was = {(number, rule.id): rule for number, rule in enumerate(before, 1) if rule.on}
    becomes = {(number, rule.id): rule for number, rule in enumerate(after, 1) if rule.on}
    return RuleChange(
        gone=frozenset(rule.id for place, rule in was.items() if becomes.get(place) != rule),
        fresh=tuple(rule for place, rule in becomes.items() if was.get(place) != rule),
    )
