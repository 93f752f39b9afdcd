"""What another version of the rules can do to an order, told from the facts and rules it was last planned by."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from tidewind.core.rules.conditions import facts_asked
from tidewind.core.rules.evaluate import LABELS, Labels, holding, labels_of
from tidewind.core.rules.facts import CLOCK, Facts
from tidewind.core.rules.rule import Rule, turns_of

OF_PACKING = frozenset({"weight", "longest", "volume", "parcels"})
_OF_PARCELS = frozenset({"packaging", "split", "recipe"})

Numbered = tuple[int, Rule]


@dataclass(frozen=True, slots=True)
class RuleChange:
    """What differs between two versions: ids of rules that are gone from where they were, and rules that are new there.

    A rule that was renamed, moved, changed or switched is in both: the trail names rules by number and name.  Of the
    fresh ones only ``asked`` can hold where they did not hold before: the others stand where they stood, with the same
    condition, and what they do for an order is told by whether they held for it.
    """

    before: tuple[Rule, ...]
    after: tuple[Rule, ...]
    gone: frozenset[str]
    fresh: tuple[Rule, ...]
    asked: tuple[Rule, ...]
    same_turns: bool

    def touches(self, applied: Collection[str], facts: Facts) -> bool:
        """Tell whether an order's plan can be another: ``applied`` are the ids of the rules that held for it.

        Never False for an order that the change makes different; a rule below one that stops may give a vain True.
        """
        return not self.gone.isdisjoint(applied) or any(rule.holds(facts) is True for rule in self.asked)

    def labels(self, applied: Collection[str], facts: Facts) -> Labels | None:
        """Return the labels an order gets where the change moves nothing but these; None where it must be planned.

        All else that the rules which held did must be done again by the same rules in the same places, so that
        parcels, service, price and the words of the trail stay.
        """
        if not self.same_turns or self._moves_by_itself(applied, facts):
            return None
        held = [(number, rule) for number, rule in enumerate(self.before, 1) if rule.on and rule.id in applied]
        holds = holding(self.after, facts)
        return labels_of(holds) if _moving(held) == _moving(holds) else None

    def _moves_by_itself(self, applied: Collection[str], facts: Facts) -> bool:
        """Tell from the changed rules alone that something besides labels is done otherwise: spares asking the rest."""
        was = [action for rule in self.before if rule.id in self.gone and rule.id in applied for action in rule.do]
        becomes = [action for rule in self.fresh if rule.holds(facts) is True for action in rule.do]
        return [a for a in was if a.set not in LABELS] != [a for a in becomes if a.set not in LABELS]


def _moving(held: Sequence[Numbered]) -> tuple[list[object], bool]:
    """Return what rules do besides labels, and whether parcels they change had been asked about."""
    does = [(number, rule.name, action) for number, rule in held for action in rule.do if action.set not in LABELS]
    parcels = any(action.set in _OF_PARCELS for _, _, action in does)
    return [*does], parcels and any(asks_about_parcels(rule) for _, rule in held)


def asks_about_parcels(rule: Rule) -> bool:
    """Tell whether a rule looks at what depends on the packing."""
    return bool(facts_asked(rule.when) & OF_PACKING)


def change_between(before: Sequence[Rule], after: Sequence[Rule]) -> RuleChange:
    """Return what differs between two versions of the rules; those switched off count as not there."""
    was = {(number, rule.id): rule for number, rule in enumerate(before, 1) if rule.on}
    becomes = {(number, rule.id): rule for number, rule in enumerate(after, 1) if rule.on}
    fresh = {place: rule for place, rule in becomes.items() if was.get(place) != rule}
    return RuleChange(
        before=tuple(before),
        after=tuple(after),
        gone=frozenset(rule.id for place, rule in was.items() if becomes.get(place) != rule),
        fresh=tuple(fresh.values()),
        asked=tuple(rule for place, rule in fresh.items() if not _holds_as_before(was.get(place), rule)),
        same_turns=turns_of(before) == turns_of(after),
    )


def _holds_as_before(was: Rule | None, rule: Rule) -> bool:
    """Tell whether a rule holds for just the orders for which the one in its place held; the clock may move others."""
    return was is not None and was.when == rule.when and facts_asked(rule.when).isdisjoint(CLOCK)
