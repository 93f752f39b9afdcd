"""The demo shop of the worked examples: its cards, boxes and products, as values."""

from __future__ import annotations

import json
from datetime import UTC, date, datetime, time
from importlib import resources

from tidewind.core.calendar import Timetable
from tidewind.core.choosing import Policy, Values
from tidewind.core.order_facts import Carrier, LineFacts, Shop
from tidewind.core.packing import Packaging
from tidewind.core.quantities import Size
from tidewind.core.tariffs.card import RateCard
from tidewind.core.tariffs.contracts import terms
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.core.tariffs.reading import BadCard
from tidewind.core.tariffs.written import read_card

MONDAY, LISBON = date(2026, 11, 23), "Europe/Lisbon"


def card(name: str) -> RateCard:
    made = read_card(json.loads(resources.files("tidewind.data.cards").joinpath(f"{name}.json").read_text("utf-8")))
    assert not isinstance(made, BadCard), made
    return made


BRIGHTMILE, NORVIA, NORVIA_DECEMBER = card("brightmile-2026-07"), card("norvia-2026-06"), card("norvia-2026-12")
ROAD = CompiledCard(BRIGHTMILE, MONDAY, terms({"*": 1200}))
PUBLISHED_ROAD = CompiledCard(BRIGHTMILE, MONDAY)
POST = CompiledCard(NORVIA, MONDAY)


POT = LineFacts("1", "TP-18", "Terracotta pot 18 cm", 1, 1650, (185, 185, 171), 9600, upright=True)
POT_CARTON = Packaging("POT-M", "Pot carton M", (210, 210, 200), Size.of(225, 225, 215), 260, 180, 6000)
BOX_L = Packaging("CTN-L", "Carton L", (520, 360, 300), Size.of(530, 370, 315), 560, 320, 20_000)
SHOP = Shop(
    (POT_CARTON, BOX_L),
    (Carrier("norvia", "Norvia Post", POST, POST), Carrier("brightmile", "Brightmile", ROAD, PUBLISHED_ROAD)),
    Policy.CHEAPEST,
    Values(),
    datetime(2026, 11, 23, 10, tzinfo=UTC),
    "EUR",
)


NIGHT = Timetable(time(15, 0), LISBON, "PT")
