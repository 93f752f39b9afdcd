"""Parcels priced by hand, at every boundary of every feature: corpus/parcels.csv against corpus/card.json."""

from __future__ import annotations

import csv
import json
import re
from datetime import date
from pathlib import Path

import pytest

from tidewind.core.consignments import Consignment, Goods, Parcel, Route
from tidewind.core.quantities import Refused, Size
from tidewind.core.tariffs.card import RateCard
from tidewind.core.tariffs.contracts import terms
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.core.tariffs.load import load_of
from tidewind.core.tariffs.totals import REFUSED, totals
from tidewind.core.tariffs.written import read_card

FOLDER = Path(__file__).with_name("corpus")
CASES = list(csv.DictReader((FOLDER / "parcels.csv").read_text("utf-8").splitlines()))
CARD = read_card(json.loads((FOLDER / "card.json").read_text("utf-8")))
CONTRACT = {"H": 1_000, "H:spain": 2_000, "N": 2_500}


def _parcel(text: str) -> Parcel:
    found = re.fullmatch(r"(\d+)@(\d+)x(\d+)x(\d+)(!?)(?:#(\w+))?", text)
    assert found, text
    size = Size.of(int(found[2]), int(found[3]), int(found[4]))
    return Parcel(int(found[1]), size, found[6], bool(found[5]))


def _cents(text: str) -> int:
    whole, _, rest = text.partition(".")
    return int(whole) * 100 + int(rest) * (-1 if whole.startswith("-") else 1)


def _consignment(case: dict[str, str]) -> tuple[Consignment, date]:
    country, postcode, *region = case["to"].split(" ", 1)[0:1] + case["to"].split(" ", 1)[1].rsplit(" ", 1)
    if (region and not region[0].isalpha()) or country == "GB":
        postcode, region = case["to"].split(" ", 1)[1], []
    more = {part.split(" ", 1)[0]: part.split(" ", 1)[-1] for part in case["more"].split("; ") if part}
    start = more.get("from", " ").split(" ", 1)
    made = Consignment(
        Route(country, postcode, "home" in more, "".join(region), "po_box" in more, "", start[0], start[1]),
        Goods(_cents(more.get("value", "0.00")), frozenset(more.get("goods", "").split())),
        tuple(_parcel(p) for p in case["parcels"].split(" + ")),
        frozenset(more.get("extras", "").split()),
    )
    return made, date.fromisoformat(more.get("day", "2026-11-23"))


@pytest.mark.parametrize("case", CASES, ids=[f"{c['service']}: {c['shows']}" for c in CASES])
def test_a_parcel_priced_by_hand(case: dict[str, str]) -> None:
    assert isinstance(CARD, RateCard), CARD
    consignment, day = _consignment(case)
    card = CompiledCard(CARD, day, terms(CONTRACT))
    quote, table = card.quote(case["service"], consignment), totals(card, load_of([consignment]))
    cell = table.net[0, table.codes.index(case["service"])], table.tax[0, table.codes.index(case["service"])]
    if case["lines"].startswith("refused: "):
        assert isinstance(quote, Refused), quote
        assert (quote.detail, cell) == (case["lines"].removeprefix("refused: "), (REFUSED, 0))
        return
    wanted = [(part.split(" ")[0], _cents(part.split(" ")[1])) for part in case["lines"].split(" + ")]
    assert not isinstance(quote, Refused), quote
    assert [(line.code, line.amount) for line in quote.lines] == wanted
    assert (quote.net, quote.tax) == (sum(amount for _, amount in wanted), _cents(case["tax"])) == cell
