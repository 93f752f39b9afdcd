"""People, sessions and keys, as the pages show them."""

from __future__ import annotations

from datetime import datetime

from tidewind.db.tables import ApiKey, Person
from tidewind.web.people.schemas import KeyRow, PersonOut

_BROWSERS = ("Firefox", "Edg", "OPR", "Chrome", "Safari")
_SYSTEMS = {
    "Windows": "Windows",
    "Android": "Android",
    "iPhone": "iPhone",
    "iPad": "iPad",
    "Mac OS X": "macOS",
    "Linux": "Linux",
}


def browser_of(agent: str) -> str:
    """Return in a few words what a browser calls itself, to tell one's sessions apart."""
    name = next((name for name in _BROWSERS if f"{name}/" in agent), "")
    system = next((words for mark, words in _SYSTEMS.items() if mark in agent), "")
    shown = {"Edg": "Edge", "OPR": "Opera"}.get(name, name) or agent.partition("/")[0][:40] or "a program"
    return f"{shown} on {system}" if system else shown


def person_out(person: Person) -> PersonOut:
    """Return somebody for the page of people."""
    state = "gone" if not person.active else "at_work" if person.password_hash else "invited"
    return PersonOut.model_validate(
        {
            "id": person.id,
            "login": person.login,
            "name": person.name,
            "role": person.role,
            "state": state,
            "second_factor": bool(person.factor_sealed),
            "seen_at": person.seen_at,
        }
    )


def key_row(key: ApiKey, person: str, now: datetime) -> KeyRow:
    """Return a key for the page of keys; the key itself is not known any more."""
    over = key.expires_at is not None and key.expires_at <= now
    return KeyRow.model_validate(
        {
            "id": key.id,
            "name": key.name,
            "role": key.role,
            "reads_only": key.reads_only,
            "scope": key.scope,
            "per_minute": key.per_minute,
            "person": person,
            "made_at": key.created_at,
            "expires_at": key.expires_at,
            "used_at": key.used_at,
            "used_from": key.used_from,
            "works": key.revoked_at is None and not over,
        }
    )
