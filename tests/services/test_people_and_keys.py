"""Who comes in, by what, and how they go: passwords, links, second factors, wrong guesses, sessions, keys."""

from __future__ import annotations

from datetime import timedelta

import httpx
import pyotp
import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tests.conftest import Clock
from tidewind.db.tables import ApiKey, Attempt, DoorLink, Person, SignIn
from tidewind.db.tables.people import ROLES
from tidewind.services.base import Conflict, Invalid, NotAllowed, NotFound, NotSignedIn, TooMany
from tidewind.services.people import (
    KeyUse,
    SignedIn,
    Trying,
    add_person,
    change_password,
    invite,
    keep_factor,
    make_door_link,
    make_key,
    offer_factor,
    revoke_key,
    sessions_of,
    set_by_link,
    set_person,
    sign_in,
    take_factor_off,
    who_has_key,
    who_has_link,
    who_has_token,
)
from tidewind.settings import DEMO_PASSWORD
from tidewind.web.access import Wiring

GOOD = "four lilac wheelbarrows"


def someone(session: Session, login: str) -> Person:
    return session.scalars(select(Person).where(Person.login == login)).one()


def try_in(wiring: Wiring, session: Session, login: str, password: str, **more: str) -> SignedIn | str:
    return sign_in(session, wiring.outside.sealer, Trying(login, password, **more), wiring.clock())


def come_in(wiring: Wiring, session: Session, login: str, password: str, **more: str) -> SignedIn:
    signed = try_in(wiring, session, login, password, **more)
    assert isinstance(signed, SignedIn), signed
    return signed


@pytest.mark.parametrize(
    ("password", "why"),
    [
        ("x" * 14, "at least 15"),
        ("x" * 201, "at most 200"),
        ("a" * 20, "easy to guess"),
        ("passwordpassword1", "easy to guess"),
        ("123456789012345", "easy to guess"),
        ("qwertyuiopasdfghjkl", "easy to guess"),
        ("nunonunonunonuno", "easy to guess"),
    ],
)
def test_passwords_that_are_refused(session: Session, password: str, why: str) -> None:
    with pytest.raises(Invalid, match=why):
        add_person(session, "nuno", "Nuno Carvalho", "packer", password)


def test_a_session_is_known_by_the_hash_of_its_token_and_ends_with_its_person(wiring: Wiring, session: Session) -> None:
    for password in (DEMO_PASSWORD[:-1], "", DEMO_PASSWORD + " "):
        assert try_in(wiring, session, "tome", password) == "wrong_password"
    assert try_in(wiring, session, "nobody", DEMO_PASSWORD) == "wrong_password"
    signed = come_in(wiring, session, " Tome ", DEMO_PASSWORD, browser="Firefox on Linux")
    assert signed.token not in session.scalars(select(SignIn.token_hash)).all()
    assert who_has_token(session, signed.token, wiring.clock()).name == "Tomé Brisson"
    assert signed.person.password_hash.startswith("$argon2id$")
    assert [s.browser for s in sessions_of(session, signed.person.id, wiring.clock())] == ["Firefox on Linux"]
    with pytest.raises(Conflict, match="already a login"):
        add_person(session, "TOME ", "Other", "packer", GOOD)
    _, key = make_key(session, signed.person.id, "script", "shipper")
    link = make_door_link(session, signed.person.id, wiring.clock())
    set_person(session, signed.person.id, name="Tomé Brisson", role="shipper", active=False)
    with pytest.raises(NotSignedIn):
        who_has_token(session, signed.token, wiring.clock())
    with pytest.raises(NotSignedIn):
        who_has_key(session, key, wiring.clock(), KeyUse())
    with pytest.raises(NotFound):
        who_has_link(session, link, wiring.clock())
    with pytest.raises(Conflict, match="has left"):
        make_door_link(session, signed.person.id, wiring.clock())
    assert try_in(wiring, session, "tome", DEMO_PASSWORD) == "wrong_password"
    set_person(session, signed.person.id, name="Tomé Brisson", role="packer", active=True)
    come_in(wiring, session, "tome", DEMO_PASSWORD)
    with pytest.raises(NotSignedIn):  # what ended stays ended
        who_has_key(session, key, wiring.clock(), KeyUse())


def test_an_owner_always_stays(session: Session, clock: Clock) -> None:
    invite(session, "zoe", "Zoe", "owner", clock())  # who has no password yet may never come
    ines, tome = someone(session, "ines"), someone(session, "tome")
    for change in ({"role": "shipper", "active": True}, {"role": "owner", "active": False}):
        with pytest.raises(Conflict, match="has to be the owner"):
            set_person(session, ines.id, name=ines.name, **change)  # type: ignore[arg-type]
    set_person(session, tome.id, name=tome.name, role="owner", active=True)
    set_person(session, ines.id, name=ines.name, role="care", active=True)
    with pytest.raises(Conflict):
        set_person(session, tome.id, name=tome.name, role="packer", active=True)
    with pytest.raises(NotFound):
        set_person(session, 999_999, name="No", role="care", active=True)


def test_a_link_works_once_and_for_three_days(wiring: Wiring, session: Session, clock: Clock) -> None:
    with pytest.raises(Invalid, match="one word"):
        invite(session, "ana lopes", "Ana", "packer", clock())
    ana, first = invite(session, "Ana.Lopes", " Ana Lopes ", "packer", clock())
    assert (ana.login, ana.name) == ("ana.lopes", "Ana Lopes")
    assert try_in(wiring, session, "ana.lopes", "") == "wrong_password"  # no password yet is no empty password
    second = make_door_link(session, ana.id, clock())
    with pytest.raises(NotFound):
        who_has_link(session, first, clock())
    with pytest.raises(Invalid):
        set_by_link(session, second, "short", clock())
    assert who_has_link(session, second, clock()) is ana  # what was typed wrong did not use it up
    set_by_link(session, second, GOOD, clock())
    assert session.scalar(select(func.count(DoorLink.id))) == 0
    with pytest.raises(NotFound, match="was used"):
        set_by_link(session, second, GOOD, clock())
    come_in(wiring, session, "ana.lopes", GOOD)
    third = make_door_link(session, ana.id, clock())
    clock.move(days=3)
    with pytest.raises(NotFound, match="three days"):
        who_has_link(session, third, clock())


def test_a_changed_password_ends_the_other_sessions(wiring: Wiring, session: Session, clock: Clock) -> None:
    here, there = (come_in(wiring, session, "rute", DEMO_PASSWORD) for _ in range(2))
    change_password(session, here.person.id, GOOD, here.token)
    assert who_has_token(session, here.token, clock()).id == here.person.id
    with pytest.raises(NotSignedIn):
        who_has_token(session, there.token, clock())
    assert try_in(wiring, session, "rute", DEMO_PASSWORD) == "wrong_password"


def test_a_second_factor_is_asked_for_and_each_code_works_once(wiring: Wiring, session: Session, clock: Clock) -> None:
    sealer, rute = wiring.outside.sealer, someone(session, "rute")
    offered = offer_factor(session, rute.id, "Larkspur & Loam")
    assert offered.address.startswith("otpauth://totp/Tidewind%20Larkspur")
    codes = pyotp.TOTP(offered.secret)
    with pytest.raises(Invalid, match="does not belong"):
        keep_factor(session, sealer, rute.id, offered.secret, "000000", clock())
    assert not rute.factor_sealed
    keep_factor(session, sealer, rute.id, offered.secret, codes.at(clock()), clock())
    assert offered.secret not in rute.factor_sealed
    with pytest.raises(Conflict):
        offer_factor(session, rute.id, "")
    assert try_in(wiring, session, "rute", DEMO_PASSWORD) == "second_factor"
    assert try_in(wiring, session, "rute", "wrong", code=codes.at(clock())) == "wrong_password"
    assert try_in(wiring, session, "rute", DEMO_PASSWORD, code=codes.at(clock())) == "wrong_code"  # used above
    clock.move(seconds=30)
    spaced = codes.at(clock())[:3] + " " + codes.at(clock())[3:]
    come_in(wiring, session, "rute", DEMO_PASSWORD, code=spaced)
    assert try_in(wiring, session, "rute", DEMO_PASSWORD, code=spaced) == "wrong_code"
    late = codes.at(clock())
    clock.move(seconds=90)
    for bad in (late, "12345", "１２３４５６", "abcdef", "1234567"):
        assert try_in(wiring, session, "rute", DEMO_PASSWORD, code=bad) == "wrong_code", bad
        clock.move(minutes=4)  # so that wrong codes, which count as guesses, are no hindrance here
    clock.move(minutes=11)
    take_factor_off(session, rute.id)
    come_in(wiring, session, "rute", DEMO_PASSWORD)
    keep_factor(session, sealer, rute.id, offered.secret, codes.at(clock()), clock())
    set_by_link(session, make_door_link(session, rute.id, clock()), GOOD, clock())  # the phone was lost
    come_in(wiring, session, "rute", GOOD)


def test_wrong_guesses_slow_down_and_lock_nobody_out(wiring: Wiring, session: Session, clock: Clock) -> None:
    mine = come_in(wiring, session, "ines", DEMO_PASSWORD, source="office").known
    waits = []
    for n in range(12):
        try:
            assert try_in(wiring, session, "ines", f"guess {n}", source=f"far {n}") == "wrong_password"
        except TooMany as told:
            waits.append(told.retry_after_s)
            with pytest.raises(TooMany):  # the right password waits, too, so that nothing is learnt from waiting
                try_in(wiring, session, "ines", DEMO_PASSWORD, source=f"far {n}")
            come_in(
                wiring, session, "ines", DEMO_PASSWORD, source="office", known=mine
            )  # in her own browser she need not
            clock.move(seconds=told.retry_after_s)
            try_in(wiring, session, "ines", f"guess {n}", source=f"far {n}")
    assert len(waits) >= 5
    assert waits == sorted(waits)
    assert (waits[0] <= 6, waits[-1] <= 601) == (True, True)
    come_in(wiring, session, "tome", DEMO_PASSWORD, source="far 1")  # somebody else is not held up
    with pytest.raises(TooMany):  # another's mark, or a made-up one, is no way round
        try_in(
            wiring,
            session,
            "ines",
            DEMO_PASSWORD,
            source="x",
            known=come_in(wiring, session, "tome", DEMO_PASSWORD).known,
        )
    with pytest.raises(TooMany):
        try_in(wiring, session, "ines", DEMO_PASSWORD, source="x", known="ines 12345678")
    for n in range(6):
        try_in(wiring, session, "ines", f"guess {n}", source="office", known=mine) if n < 5 else None
    with pytest.raises(TooMany):  # a known browser is slowed down by its own guesses
        try_in(wiring, session, "ines", "guess", source="office", known=mine)
    clock.move(minutes=30)
    for n in range(20):
        assert try_in(wiring, session, f"login{n}", "guess", source="one place") == "wrong_password"
    with pytest.raises(TooMany):  # one place that tries many logins
        try_in(wiring, session, "tome", DEMO_PASSWORD, source="one place")


def test_keys_have_a_role_an_end_and_perhaps_no_right_to_write(session: Session, clock: Clock) -> None:
    ines = someone(session, "ines")
    key_id, key = make_key(
        session, ines.id, "script", "packer", reads_only=True, expires_at=clock() + timedelta(days=1)
    )
    writing = KeyUse(writes=True)
    assert who_has_key(session, key, clock(), KeyUse(came_from="192.0.2.7")).role == "packer"
    row = session.get_one(ApiKey, key_id)
    assert (row.used_at, row.used_from, key in row.key_hash) == (clock(), "192.0.2.7", False)
    with pytest.raises(NotAllowed, match="only read"):
        who_has_key(session, key, clock(), writing)
    clock.move(days=1)
    with pytest.raises(NotSignedIn, match="is over"):
        who_has_key(session, key, clock(), KeyUse())
    other_id, other = make_key(session, ines.id, "for ever", "care")
    who_has_key(session, other, clock(), writing)
    revoke_key(session, other_id, clock())
    with pytest.raises(NotSignedIn):
        who_has_key(session, other, clock(), KeyUse())
    _, narrow = make_key(session, ines.id, "pickers", "packer", scope="handover")
    assert who_has_key(session, narrow, clock(), KeyUse(frozenset({"handover"}), True)).role == "packer"
    for rooms in (frozenset[str](), frozenset({"orders"}), frozenset({"checkout"})):
        with pytest.raises(NotAllowed, match="for bench and departures alone"):
            who_has_key(session, narrow, clock(), KeyUse(rooms))


@pytest.mark.parametrize(("role", "now"), [(a, b) for a in ROLES for b in ROLES])
def test_a_key_never_may_more_than_its_maker_may_now(session: Session, clock: Clock, role: str, now: str) -> None:
    zoe = add_person(session, "zoe", "Zoe", "owner", GOOD)
    _, key = make_key(session, zoe.id, "script", role)
    assert who_has_key(session, key, clock(), KeyUse()).role == role
    set_person(session, zoe.id, name="Zoe", role=now, active=True)
    if now in {role, "owner"}:
        assert who_has_key(session, key, clock(), KeyUse()).role == role
    else:
        with pytest.raises(NotAllowed, match="is none any more"):
            who_has_key(session, key, clock(), KeyUse())


@pytest.mark.parametrize("deed", ["change the password", "take the factor off"])
def test_ones_own_password_is_guessed_as_slowly_as_at_the_door(base_url: str, wiring: Wiring, deed: str) -> None:
    """Who finds a screen left open must not find out the password by it."""
    with httpx.Client(base_url=base_url, headers={"origin": base_url}) as client:
        csrf = client.post("/api/sign-in", json={"login": "rute", "password": DEMO_PASSWORD}).json()["csrf_token"]
        client.headers["X-CSRF-Token"] = csrf

        def guess(password: str) -> httpx.Response:
            if deed == "change the password":
                return client.post("/api/me/password", json={"before": password, "after": GOOD})
            return client.post("/api/me/second-factor/off", json={"password": password})

        assert [guess(f"wrong {n}").status_code for n in range(5)] == [422] * 5
        slowed = guess(DEMO_PASSWORD)
        assert (slowed.status_code, slowed.json()["code"]) == (429, "too_many_guesses")
        assert int(slowed.headers["Retry-After"]) >= 1
        assert "browser" not in slowed.json()["detail"]
    with wiring.sessions() as session:
        assert session.scalars(select(Attempt.source)).all() == ["own:3"] * 5


def test_a_changed_password_ends_the_links_that_would_set_another(session: Session, clock: Clock) -> None:
    rute = session.scalars(select(Person).where(Person.login == "rute")).one()
    key = make_door_link(session, rute.id, clock())
    change_password(session, rute.id, GOOD, "")
    with pytest.raises(NotFound):
        set_by_link(session, key, GOOD, clock())
