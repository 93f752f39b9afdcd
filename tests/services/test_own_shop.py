"""A stranger's own shop in other money and units: from nothing to labels, every sum checked by an own reckoning."""

from __future__ import annotations

import csv
import itertools
import os
import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from importlib import resources
from pathlib import Path

import dkim
import httpx
import psycopg
import pytest
from cryptography.hazmat.primitives.asymmetric.rsa import generate_private_key
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import select

from tests.conftest import Clock
from tests.services.steps import ask, books, buy, clear_orders, ids_of
from tidewind.app import make_wiring
from tidewind.core.addresses.check import Address
from tidewind.core.filled import filled_body
from tidewind.core.numbering import NumberRange, RangeKind
from tidewind.core.quantities import money_text
from tidewind.core.stored import write_plan
from tidewind.db.migrate import migrate
from tidewind.db.tables import Message, Order, PackagingRow, Person, Shipment, Shop
from tidewind.outside.mailer import Dress, as_sent, write_mail
from tidewind.outside.sheets_out import to_csv
from tidewind.running.cluster import Cluster
from tidewind.services.base import Conflict, Invalid
from tidewind.services.follow import held_messages, mails_without_server
from tidewind.services.follow.mailing import due_messages
from tidewind.services.handover import steps_missing
from tidewind.services.orders import bring_samples, samples_there, undo_import
from tidewind.services.papers import posting_lists, print_labels, print_slips
from tidewind.services.planning import forget_kept
from tidewind.services.rates import compare_order, forget_answers
from tidewind.services.shop import (
    MailSettings,
    SmsSettings,
    add_range,
    begin_with_card,
    change_shop,
    first_owner,
    forget_signing_key,
    keep_signing_key,
    save_mail_settings,
    save_place,
    save_sms_settings,
    send_test_mail,
    send_test_sms,
    sign_mails,
    signing_of,
    take_starters,
)
from tidewind.settings import Settings
from tidewind.standins.world import World
from tidewind.web.access import Wiring

_names = itertools.count(1)


@dataclass(frozen=True)
class Land:
    """A shop somewhere: its money, units and place, and its carrier's list with the price of each step in minor units."""

    currency: str
    zone: str
    units: str
    place: Address
    unit: str
    grams_per_unit: float
    steps: tuple[tuple[str, str, int], ...]


NORWAY = Land(
    "NOK",
    "Europe/Oslo",
    "metric",
    Address(company="Fjordull AS", street="Strandgata 4", city="Bergen", postcode="5013", country="NO"),
    "kg",
    1000,
    (("1", "89,50", 8950), ("5", "129,00", 12900), ("10", "1 204,00", 120400)),
)
AMERICA = Land(
    "USD",
    "America/New_York",
    "imperial",
    Address(company="Pine Inc.", street="12 Elm Street", city="Albany", region="NY", postcode="12207", country="US"),
    "lb",
    453.59237,
    (("2", "$7.25", 725), ("8", "$9.10", 910), ("20", "$15.00", 1500)),
)
JAPAN = Land(
    "JPY", "Asia/Tokyo", "metric", Address(company="Kinoshita", street="Honmachi 1-2-3", city="Osaka", region="Osaka", postcode="541-0053", country="JP"),
    "kg", 1000, (("1", "780", 780), ("5", "1,080", 1080), ("10", "1,560", 1560)),
)  # fmt: skip


@pytest.fixture
def empty(cluster: Cluster, outside_world: tuple[str, int, World], clock: Clock, key_file: Path) -> Iterator[Wiring]:
    name = f"own_{os.getpid()}_{next(_names)}"
    with psycopg.connect(cluster.admin_url, autocommit=True) as connection:
        connection.execute(f"create database {name} owner tidewind")  # type: ignore[call-overload]
    forget_kept()
    forget_answers()
    settings = Settings(
        database_url=f"{cluster.url.rsplit('/', 1)[0]}/{name}", smtp_port=outside_world[1], secret_key_file=key_file
    )
    made = replace(make_wiring(settings), clock=clock)
    migrate(made.sessions.kw["bind"])
    yield made
    made.outside.close()
    made.sessions.kw["bind"].dispose()


def begin(wiring: Wiring, land: Land) -> None:
    with wiring.sessions.begin() as session:
        shop = Shop(id=1, name="Own", brand="Own", time_zone=land.zone, currency=land.currency, units=land.units)
        shop.mail_from = "own@own.example"
        first_owner(session, shop, "ines", "Ada", "four lilac wheelbarrows")


def starter(units: str, goods_g: int) -> dict[str, str]:
    text = resources.files("tidewind.data").joinpath("packaging-starters.csv").read_text("utf-8")
    rows = [row for row in csv.DictReader(text.splitlines()) if row["units"] == units]
    return next(r for r in rows if int(r["holds_from_g"]) <= goods_g <= int(r["holds_to_g"]))


@pytest.mark.parametrize("land", [NORWAY, AMERICA, JAPAN], ids=lambda land: land.currency)
def test_a_shop_in_other_money_and_units_ships_with_every_sum_right(empty: Wiring, clock: Clock, land: Land) -> None:
    begin(empty, land)
    with empty.sessions.begin() as session:
        assert [s.code for s in steps_missing(session, empty.outside) if not s.done] == [
            "place", "packaging", "carrier", "orders", "printer", "products"]  # fmt: skip
        with pytest.raises(Conflict, match="that parcels leave from"):
            bring_samples(session, 1, clock())
        save_place(session, None, "Home", land.place, "", "", True)
        assert take_starters(session, clock()) == 6
        assert take_starters(session, clock()) == 0
        rows = [[f"Up to {land.unit}", "everywhere else"], *([up, price] for up, price, _ in land.steps)]
        row, _ = begin_with_card(session, "Local", "", to_csv(rows[0], rows[1:]), "list.csv", clock())
        add_range(session, row.code, NumberRange(RangeKind.COUNTER, "L-", 1, 50, digits=6, check=True), 5)
        owner = session.scalars(select(Person.id)).one()
        bring_samples(session, owner, clock())
        with pytest.raises(Conflict, match="are here already"):
            bring_samples(session, owner, clock())
        assert steps_missing(session, empty.outside) == []
        orders = list(session.scalars(select(Order).order_by(Order.id)))
        assert len(orders) == 6
        total = 0
        for order in orders:
            goods = sum((line.weight_g or 0) * line.quantity for line in order.lines)
            box = starter(land.units, goods)
            gross = goods + int(box["own_g"]) + int(box["padding_g"])
            price = next(p for up, _, p in land.steps if gross <= -(-float(up) * land.grams_per_unit // 1))
            assert (order.plan.parcels[0].packaging, order.plan.parcels[0].gross_g) == (box["code"], gross)
            assert order.price_minor == price, (order.number, gross)
            total += price
    ids = ids_of(empty, ask(empty, orders, login="ines").batch_id)
    assert [buy(empty, i) for i in ids] == ["bought"] * 6
    assert books(empty)["owed"] == -total
    with empty.sessions.begin() as session:
        assert print_labels(session, ids)[:4] == print_slips(session, ids)[:4] == b"%PDF"
        (listed,) = posting_lists(session, session.scalars(select(Shipment).order_by(Shipment.order_id)).all())
        pounds = [f"{o.plan.parcels[0].gross_g / 453.59237:.2f} lb" for o in orders]
        assert land.units == "metric" or [row[-1] for row in listed.rows] == pounds
        assert money_text(total, land.currency).startswith(
            f"{total:d}" if land.currency == "JPY" else f"{total // 100}."
        )
        said = repr([write_plan(order.plan) for order in orders])
        compared = compare_order(session, orders[0].id, clock())
        said += repr(compared)
        ours, others = (r"\d (lb|in)\b", r"\d (kg|g|cm)\b")[:: 1 if land.units == "imperial" else -1]
        assert (bool(re.search(ours, said)), re.findall(others, said)) == (True, [])
        values = {"name": "Own", "brand": "Own", "time_zone": land.zone, "currency": "EUR", "units": land.units,
                  "day_value_minor": 1, "late_value_minor": 2}  # fmt: skip
        with pytest.raises(Conflict, match=f"orders in {land.currency} already"):
            change_shop(session, values, clock())
        found = samples_there(session)
        assert found is not None
        with pytest.raises(Conflict, match="A label was bought"):
            undo_import(session, found, clock())


def test_samples_are_taken_away_and_the_shop_is_changed_while_it_is_empty(empty: Wiring, clock: Clock) -> None:
    begin(empty, NORWAY)
    values = {"name": "Own shop", "brand": "B", "time_zone": "Asia/Tokyo", "currency": "JPY", "units": "imperial",
              "day_value_minor": 5, "late_value_minor": 9}  # fmt: skip
    with empty.sessions.begin() as session:
        for change, words in (({"time_zone": "Moon/Sea"}, "no time zone"), ({"currency": "QQQ"}, "no currency")):
            with pytest.raises(Invalid, match=words):
                change_shop(session, {**values, **change}, clock())
        assert change_shop(session, values, clock()).currency == "JPY"
        save_place(session, None, "Home", JAPAN.place, "", "", True)
        take_starters(session, clock())
        assert session.scalars(select(PackagingRow.name).where(PackagingRow.code == "BOX-S")).one().endswith("in")
        made = bring_samples(session, session.scalars(select(Person.id)).one(), clock())
        assert undo_import(session, made.id, clock()) == 6
        assert (samples_there(session), session.scalars(select(Order)).all()) == (None, [])


def test_the_mail_server_is_the_owners_word_and_says_why_it_does_not_go(
    empty: Wiring, clock: Clock, outside_world: tuple[str, int, World]
) -> None:
    begin(empty, NORWAY)
    own, sealer = MailSettings("127.0.0.1", 9, "none", "", "post@own.example"), empty.outside.sealer
    with empty.sessions.begin() as session:
        assert send_test_mail(session, empty.outside, "ada@own.example")[0]
        for wrong, words in (
            (replace(own, sender="nobody"), "no mail address"),
            (replace(own, host="mail.example", user="ada", password="p"), "Choose TLS"),
        ):
            with pytest.raises(Invalid, match=words):
                save_mail_settings(session, wrong, sealer)
        assert save_mail_settings(session, own, sealer).host == "127.0.0.1"
    with empty.sessions() as session:
        assert send_test_mail(session, empty.outside, "ada@own.example") == (False, "the mail server does not answer")
    with empty.sessions.begin() as session:
        port = outside_world[1]
        known = save_mail_settings(session, replace(own, port=port, user="ada", password="secret"), sealer)
        assert known.password is None
        assert "secret" not in str(session.get_one(Shop, 1).mail_server)
    with empty.sessions() as session:
        ok, words = send_test_mail(session, empty.outside, "ada@own.example")
        assert (ok, "does not offer that" in words) == (False, True)  # the stand-in takes no names
    with empty.sessions.begin() as session:
        save_mail_settings(session, replace(own, port=port), sealer)  # the password stays, the name goes
    with empty.sessions() as session:
        assert send_test_mail(session, empty.outside, "ada@own.example")[0]
    mails = outside_world[2].rows("select sender, recipient from mail")
    assert [(m["sender"], m["recipient"]) for m in mails][-1] == ("post@own.example", "ada@own.example")


def test_without_a_mail_server_mails_wait_and_nobody_is_told_what_is_old(
    wiring: Wiring, clock: Clock, outside_world: tuple[str, int, World]
) -> None:
    outside = replace(wiring.outside, has_mail=False)
    own = MailSettings("127.0.0.1", outside_world[1], "none", "", "post@own.example")
    with wiring.sessions() as session:
        order = clear_orders(session, "norvia", 1)[0]
    (shipment,) = ids_of(wiring, ask(wiring, [order]).batch_id)

    def write(kind: str) -> None:
        fresh = {"next_at": clock(), "created_at": clock(), "reason": "", "trigger": "damaged"}
        with wiring.sessions.begin() as session:
            to = {"shipment_id": shipment, "kind": kind, "recipient": "ada@own.example"}
            session.add(Message(subject="S", body="B", **to, **fresh))

    def due() -> list[str]:
        found = due_messages(wiring.sessions, outside, clock())
        with wiring.sessions() as session:
            return [session.get_one(Message, one).kind for one in found]

    write("of yesterday")
    clock.move(hours=30)
    write("of today")
    with wiring.sessions.begin() as session:
        assert mails_without_server(session, outside) == 2
        assert [s.code for s in steps_missing(session, outside) if s.code == "mail" and not s.done] == ["mail"]
        save_mail_settings(session, own, outside.sealer)
    assert due() == [], "a server counts when it has taken a test mail"
    with wiring.sessions.begin() as session:
        assert send_test_mail(session, outside, "ada@own.example")[0]
        assert mails_without_server(session, outside) == 0
    assert due() == ["of today"]
    with wiring.sessions.begin() as session:
        assert held_messages(session) == 1, "what is older than a day is asked about"
        save_mail_settings(session, replace(own, port=9), outside.sealer)
    assert due() == []


def test_mails_are_signed_for_their_own_domain_and_whoever_changes_them_is_seen(empty: Wiring, clock: Clock) -> None:
    begin(empty, NORWAY)
    sealer = empty.outside.sealer
    small = generate_private_key(65_537, 1_024).private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption())
    with empty.sessions.begin() as session:
        with pytest.raises(Invalid, match="Make one first"):
            sign_mails(session, on=True)
        session.get_one(Shop, 1).mail_from = ""
        with pytest.raises(Invalid, match="come from"):
            keep_signing_key(session, sealer, clock())
        session.get_one(Shop, 1).mail_from = "post@own.example"
        for selector, pem, words in (
            ("a.b", "", "letters, digits"),
            ("", "-----BEGIN", "no private key"),
            ("s", "ø", "PEM"),
        ):
            with pytest.raises(Invalid, match=words):
                keep_signing_key(session, sealer, clock(), selector, pem)
        assert (
            keep_signing_key(session, sealer, clock(), "Mine", small.decode()).record_name
            == "mine._domainkey.own.example"
        )
        made = keep_signing_key(session, sealer, clock())
        assert (made.selector, made.on) == ("post-202611", False)
        assert "PRIVATE" not in str(session.get_one(Shop, 1).mail_signing)
    assert signing_of(empty.sessions, sealer) is None  # not before the record is published
    with empty.sessions.begin() as session:
        assert sign_mails(session, on=True).on
    signing = signing_of(empty.sessions, sealer)
    asked: list[bytes] = []

    def dns(name: bytes, timeout: int = 5) -> bytes:
        asked.append(name)
        return made.record.encode()

    dress = Dress("<p>Olá, está a caminho</p>", "key.1", "http://shop/t/k/stop")
    mail = write_mail(("Ateliê", "post@own.example"), "ana@buyers.example", "É " * 90, "Olá\n.\n" * 40, None, dress)
    sent = as_sent(mail, signing)
    assert (dkim.verify(sent, dnsfunc=dns), asked) == (True, [b"post-202611._domainkey.own.example."])
    assert sent.isascii()
    for before, after in ((b"key.1@", b"key.2@"), (b"/t/k/stop", b"/t/x/stop"), (b"PHA+", b"PGI+")):
        assert before in sent
        assert not dkim.verify(sent.replace(before, after), dnsfunc=dns)
    other = write_mail(("Else", "post@other.example"), "ana@buyers.example", "S", "B", None, None)
    assert b"DKIM-Signature" not in as_sent(other, signing)
    with empty.sessions.begin() as session:
        assert forget_signing_key(session).domain == ""
    assert signing_of(empty.sessions, sealer) is None


@given(st.text(max_size=60), st.text(max_size=60))
def test_what_is_filled_in_never_becomes_part_of_the_form(to: str, text: str) -> None:
    values = {"to": to, "text": text, "from": ""}
    body, _ = filled_body('{"a": ["{to}"], "b": "x {text}"}', "json", values)
    assert body == {"a": [" ".join(to.split())], "b": "x " + " ".join(text.split())}
    pairs, _ = filled_body("To={to}\nBody={text}&amp=1", "form", values)
    assert set(pairs) == {"To", "Body"}


def test_text_messages_go_through_any_gateway_by_its_template(wiring: Wiring, world: World) -> None:
    with wiring.sessions.begin() as session:
        for template, form, words in (
            ("{", "json", "is no JSON"),
            ('{"to": "{to}"}', "json", r"{text} is missing"),
            ("To={to}\n{text}", "form", "one field a line"),
            ('{"a": "{to}{text}{name}"}', "json", "{name} is nothing"),
        ):
            with pytest.raises(Invalid, match=re.escape(words)):
                wanted = SmsSettings("https://x.example", form, template)
                save_sms_settings(session, wanted, wiring.outside.sealer)
        with pytest.raises(Invalid, match="with its country"):
            send_test_sms(session, wiring.outside, "912 345 678")
        assert send_test_sms(session, wiring.outside, "+351 912 345 678")[0]
        world.set_fault("texts", "down", 1)
        assert send_test_sms(session, wiring.outside, "+351 912 345 678") == (False, "closed for maintenance")
        url = "{standins}/texts"
        save_sms_settings(session, SmsSettings(url, secret="wrong"), wiring.outside.sealer)
        assert send_test_sms(session, wiring.outside, "+351 912 345 678")[1].startswith("the key is missing")
        save_sms_settings(session, SmsSettings(""), wiring.outside.sealer)
        with pytest.raises(Invalid, match="Save a gateway first"):
            send_test_sms(session, wiring.outside, "+351 912 345 678")
    (kept,) = httpx.get(f"{wiring.settings.standins_url}/texts/all").json()
    assert (kept["sender"], kept["recipient"]) == ("Larkspur", "+351912345678")
