"""How the demo shop plans: recipes, promise links, product defaults, rules, a precedent, contacts, a sample list."""

from __future__ import annotations

import json
from datetime import datetime
from importlib import resources
from typing import Any

from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.order_facts import Hand, LineFacts, OrderFacts
from tidewind.db.tables import PrecedentRow
from tidewind.services.planning import link_promise, save_recipe, save_rules, shop_settings
from tidewind.services.rates import save_checkout
from tidewind.services.shop import read_restricted_list, replace_restricted_list, save_contact

RECIPES: tuple[tuple[str, str, str | None, str | None, list[str]], ...] = (
    ("as-chosen", "As the policy chooses", None, None, []),
    ("night", "Night, by noon", "bp-night", None, []),
    ("by-sea", "Islands by sea", "bp-sea", None, []),
    ("seeds", "Seeds by letter", "np-registered", "ENV-S", []),
    ("green", "Economy, slow", "np-economy", None, []),
)
PROMISES = {
    "Express next day": "night",
    "Islands, 5 days": "by-sea",
    **dict.fromkeys(
        (
            "Standard home, 3–5 days",
            "Abroad, tracked",
            "Parcel with tracking",
            "Dispatch within 24 h",
            "Tracked abroad, 6 days",
        ),
        "as-chosen",
    ),
}
RULES: list[dict[str, Any]] = [
    {
        "id": "dear",
        "name": "Signature when dear",
        "on": True,
        "when": {"fact": "value", "test": "at_least", "to": 15_000},
        "do": [{"set": "add_extra", "to": "signature"}],
    },
    {
        "id": "clubs",
        "name": "Garden clubs and firms",
        "on": True,
        "when": {
            "any": [
                {"fact": "address", "test": "is_any_of", "to": ["business"]},
                {"fact": "items", "test": "more_than", "to": 50},
            ]
        },
        "do": [{"set": "desk", "to": "Garden clubs"}, {"set": "tag", "to": "club"}],
    },
    {
        "id": "abroad-dear",
        "name": "Dear and abroad: Inês looks first",
        "on": False,
        "when": {
            "all": [{"fact": "customs", "test": "is", "to": True}, {"fact": "value", "test": "more_than", "to": 30_000}]
        },
        "do": [{"set": "approval", "to": "dear goods across a customs border"}],
    },
]
CONTACTS: tuple[tuple[str, Address], ...] = (
    (
        "SOBRAL",
        Address(
            name="Rui Melo",
            company="Quinta do Sobral, Lda",
            street="Zona Industrial, lote 9",
            city="Tomar",
            postcode="2300-420",
            country="PT",
            phone="+351 000 555 140",
        ),
    ),
    (
        "BRAGA",
        Address(
            name="Yard",
            company="Larkspur & Loam, yard",
            street="Rua da Levada 8",
            city="Braga",
            postcode="4705-330",
            country="PT",
            phone="+351 000 555 101",
        ),
    ),
)


# One tool set went as a tracked parcel, signed for, some weeks ago; the same basket waits again.
_BASKET = OrderFacts((LineFacts("1", "TG-1", "", 1, None, None),), Address()).basket


def load_layers(session: Session, owner_id: int, now: datetime) -> None:
    """Set the layers up before the first orders come, so that each is planned by them at once."""
    for code, name, service, packaging, extras in RECIPES:
        save_recipe(session, None, name, service, packaging, extras, now).code = code
    session.flush()
    for promise, recipe in PROMISES.items():
        link_promise(session, promise, recipe, now)
    save_rules(session, RULES, 0, "The first rules", owner_id, now)
    hand = Hand(service="np-parcel", extras=frozenset({"signature"}))
    for group in ("country", "same_region"):
        session.add(PrecedentRow(basket=_BASKET, destination=group, hand=hand, order_number="LL-19877", at=now))
    shop_settings(session).desks = ["Garden clubs", "Export"]
    for code, address in CONTACTS:
        save_contact(session, None, code, address, home=False)
    offers = json.loads(resources.files("tidewind.data").joinpath("checkout.json").read_text("utf-8"))
    save_checkout(session, offers, 0, "The first offers", None, owner_id, now)
    data = resources.files("tidewind.data").joinpath("restricted-sample.csv").read_bytes()
    replace_restricted_list(session, "Sample list (invented)", read_restricted_list(data, "restricted-sample.csv"), now)
