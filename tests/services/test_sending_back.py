"""A return from the buyer's phone to the refund: the form without script, the rules, the picture, the way back."""

from __future__ import annotations

import io
import re

import httpx
import pytest
from PIL import Image
from sqlalchemy import select

from tests.conftest import Clock
from tests.services.steps import ask, buy, clear_orders, ids_of
from tests.services.test_messages import hear
from tidewind.core.returning import ReturnRules
from tidewind.db.tables import Message, Return, Shipment
from tidewind.outside.errors import RefusedOutside
from tidewind.outside.http_carrier import HttpCarrier
from tidewind.services.base import Conflict, Invalid, NotFound
from tidewind.services.follow import (
    ReturnDone,
    ask_again,
    close_return,
    follow_returns,
    make_due_returns,
    photo_of_return,
    receive_return,
    send_due_news,
    set_return_rules,
)
from tidewind.services.handover import alert_counts
from tidewind.web.access import Wiring


@pytest.fixture
def delivered(wiring: Wiring) -> str:
    """The address of the page of a parcel that was delivered an hour ago."""
    with wiring.sessions.begin() as session:
        wanted = [o for o in clear_orders(session, "norvia", 40) if o.service == "np-parcel" and o.address.email][:1]
    (one,) = ids_of(wiring, ask(wiring, wanted).batch_id)
    buy(wiring, one)
    hear(wiring, one, "moving", "delivered")
    with wiring.sessions() as session:
        return f"/t/{session.get_one(Shipment, one).tracking_key}"


def picture() -> bytes:
    out = io.BytesIO()
    exif = Image.Exif()
    exif[0x010E] = "where it was taken"
    Image.new("RGB", (40, 30), "red").save(out, "JPEG", exif=exif)
    return out.getvalue()


def test_from_the_phone_to_the_refund(wiring: Wiring, base_url: str, delivered: str, clock: Clock) -> None:
    with httpx.Client(base_url=base_url) as phone:
        assert f"{delivered}/return" in phone.get(delivered).text
        form = phone.get(f"{delivered}/return").text
        line = re.findall(r'name="(line-\d+)"', form)[0]
        wish = {line: "1", "reason": "damaged", "words": "The lid\nis <b>cracked</b>"}
        for wrong, said in (
            ({"reason": "damaged"}, "Escolha o que vai devolver"),
            ({**wish, line: "0"}, "Escolha"),
            ({**wish, "reason": "revenge"}, "Porquê"),
            ({**wish, "line-999999": "5", line: "-1"}, "Escolha"),
        ):
            answer = phone.post(f"{delivered}/return", data=wrong)
            assert (answer.status_code, said in answer.text) == (422, True)
        bad = phone.post(f"{delivered}/return", data=wish, files={"photo": ("a.jpg", b"GIF89a" * 50, "image/jpeg")})
        assert bad.status_code == 422
        assert "&lt;b&gt;cracked" in bad.text  # what was typed stays, and is only text
        assert 'value="1"' in bad.text
        huge = phone.post(f"{delivered}/return", files={"photo": ("a.jpg", b"x" * 9_000_000, "image/jpeg")})
        assert huge.status_code == 413
        done = phone.post(f"{delivered}/return", data=wish, files={"photo": ("a.jpg", picture(), "image/jpeg")})
        assert done.status_code == 200
        assert "A etiqueta chega por e-mail" in done.text
        assert "Já foi pedida" in phone.get(f"{delivered}/return").text
        assert phone.post(f"{delivered}/return", data=wish).status_code == 422
        assert phone.get("/t/no-such-parcel/return").status_code == 404
        assert phone.post("/t/no-such-parcel/return", data=wish).status_code == 404
    make_due_returns(wiring.sessions, wiring.outside, clock)
    send_due_news(wiring.sessions, wiring.outside, clock)
    with wiring.sessions() as session:
        row = session.scalars(select(Return)).one()
        assert (row.state, row.words, row.buyer_pays) == ("ready", "The lid is <b>cracked</b>", False)
        assert row.items[0]["quantity"] == 1
        assert b"where it was taken" not in photo_of_return(session, row.id)
        number = row.tracking_number or ""
    with wiring.sessions.begin() as session:
        with pytest.raises(NotFound):
            receive_return(session, "NOT-OURS", "Tomé", clock())
        with session.begin_nested() as tried:  # goods in hand are back, whether their carrier has scanned them or not
            assert receive_return(session, f"]C1{number}", "Tomé", clock()).state == "back"
            tried.rollback()
    httpx.post(f"{wiring.settings.standins_url}/carriers/norvia/returns/{number}/use")
    clock.move(days=1)
    follow_returns(wiring.sessions, wiring.outside, clock)
    with wiring.sessions.begin() as session:
        assert receive_return(session, f" {number[:4]} {number[4:]}", "Tomé", clock()).state == "back"
        assert receive_return(session, number, "Tomé", clock()).state == "back"  # scanned twice
        done_with = ReturnDone("refunded", "damaged")
        assert close_return(session, row.id, done_with, "Rute", "http://shop", clock()).outcome.endswith("written off")
    with wiring.sessions() as session:
        told = session.scalars(select(Message).where(Message.trigger == "refund")).one()
        assert "reembolso" in told.subject


def test_the_rules_of_the_shop_hold_on_the_page(wiring: Wiring, base_url: str, delivered: str, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        for days in (0, 366):
            with pytest.raises(Invalid):
                set_return_rules(session, ReturnRules(days=days))
        set_return_rules(session, ReturnRules(days=14, buyer_pays=True))
    with httpx.Client(base_url=base_url) as phone:
        assert re.search(r"A etiqueta custa \d+,\d\d\s€", phone.get(f"{delivered}/return").text)
        assert "Das Etikett kostet" in phone.get(f"{delivered}/return?lang=de").text
        clock.move(days=15)
        assert "Já não é possível" in phone.get(f"{delivered}/return").text
        assert "/return" not in phone.get(delivered).text
    with wiring.sessions.begin() as session:
        set_return_rules(session, ReturnRules(on=False))
    with httpx.Client(base_url=base_url) as phone:
        assert phone.post(f"{delivered}/return", data={"reason": "other"}).status_code == 422


def test_messages_are_stopped_by_one_press_and_not_by_looking(wiring: Wiring, base_url: str, delivered: str) -> None:
    blocked = "select count(*) from blocked_address"
    with httpx.Client(base_url=base_url) as phone:
        assert "<button" in phone.get(f"{delivered}/stop").text
        with wiring.sessions() as session:
            assert session.connection().exec_driver_sql(blocked).scalar() == 0
        assert phone.post(f"{delivered}/stop", data={"List-Unsubscribe": "One-Click"}).status_code == 200
        assert phone.post(f"{delivered}/stop").status_code == 200
        assert phone.post("/t/no-such-parcel/stop").status_code == 404
    with wiring.sessions() as session:
        assert session.connection().exec_driver_sql(blocked).scalar() == 2


def test_a_label_that_its_carrier_would_not_make_stays_with_the_shop(
    wiring: Wiring, base_url: str, delivered: str, clock: Clock, monkeypatch: pytest.MonkeyPatch
) -> None:
    def refuse(*_keys: str) -> None:
        raise RefusedOutside("no_returns", "no ways back this week")

    def counts() -> dict[str, int]:
        with wiring.sessions() as session:
            return alert_counts(session, clock())

    with httpx.Client(base_url=base_url) as phone:
        line = re.findall(r'name="(line-\d+)"', phone.get(f"{delivered}/return").text)[0]
        phone.post(f"{delivered}/return", data={line: "1", "reason": "damaged"})
        with monkeypatch.context() as patched:
            patched.setattr(HttpCarrier, "make_return", refuse)
            (made,) = make_due_returns(wiring.sessions, wiring.outside, clock).items()
        assert (made[1], counts()["returns_not_made"]) == ("failed", 1)
        assert "a loja vai escrever-lhe" in phone.get(f"{delivered}/return").text
        assert phone.post(f"{delivered}/return", data={line: "1", "reason": "damaged"}).status_code == 422
    with wiring.sessions.begin() as session:
        before = session.get_one(Return, made[0]).idempotency_key
        row = ask_again(session, made[0], "Rute", clock())
        assert (row.state, row.failure, row.idempotency_key != before) == ("making", "", True)
        with pytest.raises(Conflict):
            ask_again(session, made[0], "Rute", clock())
    with monkeypatch.context() as patched:
        patched.setattr(HttpCarrier, "make_return", refuse)
        make_due_returns(wiring.sessions, wiring.outside, clock)
    with wiring.sessions.begin() as session:
        row = close_return(session, made[0], ReturnDone("refunded"), "Rute", "http://shop", clock())
        assert (row.state, row.outcome) == ("cancelled", "refunded")
    assert counts()["returns_not_made"] == 0
