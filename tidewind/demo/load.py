"""Load the demo shop: Larkspur & Loam with its people, places, products, packaging, carriers and balance."""

from __future__ import annotations

import csv
import json
from collections.abc import Sequence
from datetime import datetime
from importlib import resources

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.addresses.check import Address
from tidewind.db.tables import Channel, Shop
from tidewind.demo.layers import load_layers
from tidewind.outside.carrier import Introduction
from tidewind.services.base import Outside, Sealer
from tidewind.services.bench import BenchSettings, set_bench_settings
from tidewind.services.books import top_up
from tidewind.services.follow import make_link
from tidewind.services.handover import ask_for_points
from tidewind.services.orders import pull
from tidewind.services.papers import add_printer, set_print_preference
from tidewind.services.people import add_person, anybody, keep_password
from tidewind.services.shop import (
    AccountChange,
    SmsSettings,
    add_account,
    begin_store,
    bring_in_products,
    carriers_by_code,
    change_account,
    connect_channel,
    get_carrier,
    save_mapping,
    save_packaging,
    save_place,
    save_sms_settings,
    take_on,
)
from tidewind.settings import DEMO_PASSWORD, DEMO_PEOPLE

CARDS = {
    "norvia": ("norvia-2026-06", "norvia-2026-12"),
    "brightmile": ("brightmile-2026-07",),
    "pontolo": ("pontolo-2026-03",),
    "cobaltair": ("cobaltair-2026-01",),
}
ACCOUNTS: dict[str, tuple[tuple[str, str, dict[str, int], str], ...]] = {
    "norvia": (("PT-88310042", "", {}, "balance"),),
    "brightmile": (
        ("447-1902", "Main contract", {"*": 1200}, "balance"),
        ("447-2210", "Garden clubs, Spain", {"*": 500, "*:es": 2200}, "balance"),
    ),
    "pontolo": (("PPT-20931", "", {}, "balance"),),
    "cobaltair": (("9 340 118", "", {}, "account"),),
}
"""By carrier: number, name, discounts in basis points, and who pays; the stand-ins know the same contracts."""
COVER = {
    "insurer": "Marl & Quince",
    "policy": "OC-2026-118",
    "per_step": 45,
    "step": 10_000,
    "least": 90,
    "most_value": 500_000,
    "not_covered": ["dangerous"],
}
TILE_WORKS = "40.638600, -8.651300"
CHANNELS: dict[str, tuple[str, dict[str, str], dict[str, str]]] = {
    "larkspur": (
        "Web shop",
        {"processing": "fetch", "on_hold": "hold", "collected": "leave_out", "cancelled": "cancelled"},
        {"paid": "paid", "pending": "unpaid"},
    ),
    "tallyfair": (
        "Tallyfair",
        {
            "to_dispatch": "fetch",
            "awaiting_payment": "fetch",
            "on_hold": "hold",
            "dispatched": "ignore",
            "revoked": "cancelled",
        },
        {"settled": "paid", "cash_on_delivery": "pay_on_delivery", "pending": "unpaid", "refused": "unpaid"},
    ),
    "ovenbird": (
        "Ovenbird Bazaar",
        {"NEW": "fetch", "PAID": "fetch", "HOLD": "hold", "SENT": "ignore", "CANCELED": "cancelled"},
        {"captured": "paid", "authorised": "unpaid", "none": "unpaid"},
    ),
}


def _table(name: str) -> list[dict[str, str]]:
    text = resources.files("tidewind.data").joinpath(name).read_text("utf-8")
    return list(csv.DictReader(text.splitlines()))


def load(sessions: sessionmaker[Session], outside: Outside, now: datetime) -> bool:
    """Load the demo shop into an empty database and pull its orders; return whether there was anything to do.

    Channels that a load before was cut off at are connected and pulled now.
    """
    with sessions() as session:
        older = [row.code for row in carriers_by_code(session).values() if row.code in CARDS and not row.states]
        introduced = [_ask(outside, code) for code in (older if anybody(session) else CARDS)]
    with sessions.begin() as session:
        fresh = not anybody(session)
        if fresh:
            load_shop(session, now, introduced, outside.sealer)
            _channels(session, outside)
            _printing(session, outside, now)
            _texts(session, outside.sealer)
            top_up(session, 60_000, "demo-start", "Inês Valadar", now)
            ask_for_points(session, outside, "pontolo", now)
        else:
            _introduce_older(session, introduced, outside.sealer)
        for login, _, _ in DEMO_PEOPLE:  # an older demo shop offers another password than this sign-in page
            keep_password(session, login, DEMO_PASSWORD)
        pulled = set(session.scalars(select(Channel.code).where(Channel.last_pull_at.is_not(None))))
    for code in CHANNELS:
        if code in pulled:
            continue
        if code != "larkspur":  # the own shop asks for no consent
            connect_channel(sessions, outside, code, f"demo-consent-{code}", now)
        pull(sessions, outside, code, now)
    return fresh


def _introduce_older(session: Session, introduced: Sequence[Introduction], sealer: Sealer) -> None:
    """Give the carriers of a demo shop that an older version made their keys, and the meaning of their codes."""
    carriers = carriers_by_code(session)
    for who in introduced:
        row = carriers[who.code]
        row.states, row.key_sealed = dict(who.states), sealer.seal(f"{who.code}-key")


def _ask(outside: Outside, code: str) -> Introduction:
    return outside.introduce(f"{{standins}}/carriers/{code}", f"{code}-key")


def load_shop(
    session: Session, now: datetime, introduced: Sequence[Introduction], sealer: Sealer | None = None
) -> None:
    """Load the shop itself: people, places, packaging, products, carriers, layers; no channels and no orders."""
    session.add(
        Shop(
            id=1,
            name="Larkspur & Loam",
            brand="Larkspur & Loam",
            time_zone="Europe/Lisbon",
            currency="EUR",
            units="metric",
            policy="cheapest_on_promise",
            day_value_minor=40,
            late_value_minor=250,
            price_tolerance_minor=0,
            cover=COVER,
            mail_from="parcels@larkspur.example",
            approve_over_minor=8_000,
            customs_numbers={
                "EORI": "PT980000001",
                "GB VAT": "GB999999973",
                "IOSS": "IM6200000001",
                "VOEC": "2000001",
            },
            slip={
                "message": "Thank you for gardening with us. Keep seeds cool and dry until you sow them.",
                "prices": False,
                "label_line": "items",
            },
        )
    )
    owner, *_ = [add_person(session, login, name, role, DEMO_PASSWORD) for login, name, role in DEMO_PEOPLE]
    session.flush()
    _places(session)
    _things(session, now)
    _carriers(session, introduced, sealer, now)
    load_layers(session, owner.id, now)
    make_link(session, "Garden club desk", ["GC-10 Trials", "GC-20 Fairs", "GC-30 Library"])


def _texts(session: Session, sealer: Sealer) -> None:
    gateway = SmsSettings("{standins}/texts", sender="Larkspur", secret="Bearer larkspur-texts-key")  # noqa: S106
    save_sms_settings(session, gateway, sealer)


def _printing(session: Session, outside: Outside, now: datetime) -> None:
    for code, name in (("bench-label", "Label printer at the bench"), ("office-a4", "Office printer, A4")):
        add_printer(session, outside, name, f"{{standins}}/printers/{code}", now, code)
    set_print_preference(session, "label", "roll", "bench-label", 1)
    set_print_preference(session, "pick_list", "a4", "office-a4", 1)
    set_print_preference(session, "customs", "a4", "office-a4", 1)


def _channels(session: Session, outside: Outside) -> None:
    for code, (name, states, payments) in CHANNELS.items():
        begin_store(session, outside, code, name, f"{{standins}}/{code}", code)
        told = {"shipped": True, "cancelled": True}
        save_mapping(session, code, states, payments, told, 5, "Larkspur & Loam")


def _places(session: Session) -> None:
    works = Address(
        company="Larkspur & Loam",
        name="Tomé Brisson",
        street="Rua da Olaria 40",
        city="Aveiro",
        postcode="3800-587",
        country="PT",
        phone="+351 000 555 100",
        email="parcels@larkspur.example",
    )
    yard = Address(
        company="Larkspur & Loam, yard",
        street="Rua da Levada 8",
        city="Braga",
        postcode="4705-330",
        country="PT",
        phone="+351 000 555 101",
    )
    save_place(
        session,
        None,
        "Tile works",
        works,
        "Loading door in the yard, ring twice",
        "Mon–Fri 8:30–18:00",
        True,
        TILE_WORKS,
    )
    save_place(session, None, "Braga yard", yard, "Gate", "Mon–Fri 9:00–13:00", False)


def _things(session: Session, now: datetime) -> None:
    for row in _table("packaging.csv"):
        figures = {k: int(v) for k, v in row.items() if k not in {"code", "name", "carrier"}}
        said = {"code": row["code"], "name": row["name"], "carrier": row["carrier"] or None, "active": True}
        save_packaging(session, None, {**said, **figures}, now)
    products = resources.files("tidewind.data").joinpath("products.csv").read_bytes()
    _, _, wrong = bring_in_products(session, "products.csv", products, now)
    if wrong:
        raise ValueError(wrong[0])
    set_bench_settings(session, BenchSettings(scale_address="{standins}/scale/read"))


def _carriers(session: Session, introduced: Sequence[Introduction], sealer: Sealer | None, now: datetime) -> None:
    """Take the carriers on as a person does, by address and key, and add what the contracts with them say."""
    for who in introduced:
        first, *more = ACCOUNTS[who.code]
        key = sealer.seal(f"{who.code}-key") if sealer else ""
        take_on(session, who, f"{{standins}}/carriers/{who.code}", key, first[0], first[3], now)
        mine = get_carrier(session, who.code).accounts[0].id
        change_account(session, who.code, mine, AccountChange(name=first[1], discounts_bp=first[2]), now)
        for number, name, cuts, payer in more:
            change = AccountChange(number=number, name=name, discounts_bp=cuts, payer=payer)
            add_account(session, who.code, change, now)


def introductions() -> list[Introduction]:
    """Return the carriers as they introduce themselves, without asking them: their cards are shipped with the program."""
    made = []
    for code, cards in CARDS.items():
        folder = resources.files("tidewind.data.cards")
        written = tuple(json.loads(folder.joinpath(f"{card}.json").read_text("utf-8")) for card in cards)
        made.append(Introduction(code, code.title(), code[:2].upper(), False, frozenset(), {}, written))
    return made
