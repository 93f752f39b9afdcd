"""Rules as people write them: versions, each kept for ever, and rehearsal before one counts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from functools import partial
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import tidy
from tidewind.core.rules.rule import Rule
from tidewind.core.rules.touching import change_between
from tidewind.core.rules.written import BadRules, read_rules, write_rules
from tidewind.core.written import Written
from tidewind.db.tables import RuleSet, Work
from tidewind.services.base import Conflict, Invalid, NotFound, one_at_a_time
from tidewind.services.planning.choices import all_choices
from tidewind.services.planning.rehearsing import Rehearsal, rehearse
from tidewind.services.planning.replanning import replan_waiting
from tidewind.services.planning.shop_facts import rules_in_force
from tidewind.services.planning.touched import Scope, can_touch

# --- rules -------------------------------------------------------------------------------------------------------


def read_or_refuse(body: Any) -> tuple[Rule, ...]:
    """Return written rules as values.  Raises Invalid with every error."""
    rules = read_rules(body)
    if isinstance(rules, BadRules):
        raise Invalid("bad_rules", "; ".join(rules.errors))
    return rules


def _known_names(session: Session, rules: Sequence[Rule], now: datetime) -> None:
    known = all_choices(session, now)
    lists: dict[str, Mapping[str, str] | Sequence[str]] = {
        "recipe": known.recipes,
        "service": known.services,
        "packaging": known.packagings,
        "add_extra": known.extras,
        "remove_extra": known.extras,
    }
    for number, rule in enumerate(rules, 1):
        for action in rule.do:
            if action.set in lists and action.to not in lists[action.set]:
                what = action.set.replace("_", " ")
                raise Invalid("bad_rules", f"Rule {number}, {rule.name}: there is no {what} “{action.to}”.")


def current_rules(session: Session) -> tuple[int, list[Written]]:
    """Return the version in force and its rules; version 0 with none before the first."""
    row = session.scalar(select(RuleSet).order_by(RuleSet.id.desc()).limit(1))
    return (row.id, row.rules) if row else (0, [])


def save_rules(
    session: Session, body: Any, base_version: int, note: str, person_id: int, now: datetime
) -> tuple[RuleSet, Work]:
    """Store another version of all rules and plan the waiting orders anew.

    Raises Conflict where somebody else saved since ``base_version`` was read, Invalid for rules that cannot be used.
    """
    rules = read_or_refuse(body)
    _known_names(session, rules, now)
    one_at_a_time(session, "rule_set")
    newest, _ = current_rules(session)
    if newest != base_version:
        words = f"Somebody saved version {newest} since you began at {base_version}. Yours is kept here; compare first."
        raise Conflict("rules_changed", words)
    row = RuleSet(rules=write_rules(rules), note=tidy(note)[:200], person_id=person_id, created_at=now)
    session.add(row)
    session.flush()
    return row, replan_waiting(session, "Rules were changed", now, Scope(rules=(newest, row.id)))


def rule_versions(session: Session) -> Sequence[RuleSet]:
    """Return all versions, newest first."""
    return session.scalars(select(RuleSet).order_by(RuleSet.id.desc()).limit(200)).all()


def restore_rules(session: Session, version: int, person_id: int, now: datetime) -> tuple[RuleSet, Work]:
    """Bring an older version back as the newest one; none is lost.  Raises NotFound."""
    old = session.get(RuleSet, version)
    if old is None:
        raise NotFound("unknown_version", f"There is no version {version} of the rules.")
    newest, _ = current_rules(session)
    return save_rules(session, old.rules, newest, f"Version {version} restored", person_id, now)


def rehearse_rules(session: Session, body: Any, now: datetime, *, past: bool = False) -> Rehearsal:
    """Return what other rules would do to the waiting orders, or to those of the last 90 days.  Raises Invalid."""
    rules = read_or_refuse(body)
    change = change_between(rules_in_force(session), rules)
    return rehearse(session, now, lambda shop: replace(shop, rules=rules), past=past, only=partial(can_touch, change))
