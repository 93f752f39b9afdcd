"""Who is there: sign-in, roles, keys, and who works on what."""

from tidewind.services.people.presence import AtWork, at_work_on, let_go, start_work
from tidewind.services.people.signing_in import (
    SESSION_LASTS,
    Who,
    add_person,
    anybody,
    make_key,
    names_of_people,
    revoke_key,
    sign_in,
    sign_out,
    who_has_key,
    who_has_token,
)

__all__ = [
    "SESSION_LASTS",
    "AtWork",
    "Who",
    "add_person",
    "anybody",
    "at_work_on",
    "let_go",
    "make_key",
    "names_of_people",
    "revoke_key",
    "sign_in",
    "sign_out",
    "start_work",
    "who_has_key",
    "who_has_token",
]
