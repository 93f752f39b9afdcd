"""Across a customs border: cases that a customs clerk can check by hand, and what holds of every declaration."""

from __future__ import annotations

import csv
import json
from dataclasses import replace
from datetime import date
from decimal import Decimal
from importlib.resources import files
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.addresses.check import Address
from tidewind.core.customs.codes import CodeSearch, bad_form, code_text, read_entries
from tidewind.core.customs.declaration import Declaration, Sold, by_parcel, declare
from tidewind.core.customs.duties import Journey, estimate
from tidewind.core.customs.needs import Known, needs_of, snags_of
from tidewind.core.customs.numbers import KINDS, bad_number, shown
from tidewind.core.customs.planned import Border, Going, Leaving, border_of, missing_facts, missing_on_the_way, way_back
from tidewind.core.customs.said import CustomsSaid, ItemSaid, read_said, write_said
from tidewind.core.customs.spreading import spread
from tidewind.core.customs.tables import CustomsBook, Fee, read_tables
from tidewind.core.customs.vague import better_text, why_vague
from tidewind.core.order_facts import Hand, LineFacts, OrderFacts
from tidewind.core.quantities import minor_of

_WORDS = Path(__file__).with_name("hs_words.csv").read_text(encoding="utf-8")
WRITTEN = json.loads((files("tidewind") / "data" / "customs" / "sample-tables.json").read_text())
TABLES = read_tables(WRITTEN)
_TEXT = Path(__file__).with_name("customs_cases.csv").read_text(encoding="utf-8")
CASES = list(csv.DictReader(_TEXT.splitlines(), delimiter=";"))
DAY = date(2026, 11, 27)


def sold(written: str, n: int, currency: str) -> Sold:
    """Read ``820190+lithium~text CN 160.00``: code, contents, text, origin and price."""
    what, origin, price = written.split()
    what, _, text = what.partition("~")
    code, _, contents = what.partition("+")
    return Sold(
        str(n), f"S{n}", f"Thing {n}", 1, 300, minor_of(Decimal(price), currency),
        text=text or "Hand fork of steel, for gardening",
        hs_code=code.strip("-"), origin=origin.strip("-"), contents=frozenset({contents} - {""}),
    )  # fmt: skip


@pytest.mark.parametrize("case", CASES, ids=lambda c: c["name"])
def test_what_a_parcel_needs_and_what_is_due(case: dict[str, str]) -> None:
    def minor(name: str) -> int:
        return minor_of(Decimal(case[name]), case["currency"] if name == "shipping" else due.currency or "EUR")

    has = dict(pair.split("=") for pair in case["has"].replace("GB VAT", "GB_VAT").split())
    numbers = {kind.replace("_", " "): n for kind, n in has.items() if kind.replace("_", " ") in KINDS}
    goods = [sold(one, n, case["currency"]) for n, one in enumerate(case["items"].split("|"), 1)]
    said = read_said({"purpose": case["purpose"]})
    declared = declare(
        goods,
        case["currency"],
        minor_of(Decimal(case["shipping"]), case["currency"]),
        500,
        said,
        sender_pays=case["payer"] == "sender",
    )
    day = date.fromisoformat(case["day"] or DAY.isoformat())
    journey = Journey(case["leaves"], case["to"], day, "cobaltair", case["by"], int(has.pop("parcels", "1")))
    due = estimate(declared, journey, TABLES, numbers)
    known = Known(numbers, has.pop("recipient", ""), has)
    needs = needs_of(declared, journey, TABLES, known, due)
    papers = sorted({f"{n.kind}:{n.copies}" for n in needs if n.copies})
    assert papers == case["papers"].split()
    assert sorted({n.kind for n in needs if n.standing in {"missing", "never"}}) == case["snags"].split()
    got = (due.duty_minor, due.tax_minor, due.fee_minor, due.total_minor)
    assert got == tuple(minor(name) for name in ("duty", "tax", "fee", "due"))
    steps = sum(step.amount_minor for step in due.steps if step.code in {"duty", "tax", "fee"})
    assert steps - due.at_sale_minor == due.total_minor


def test_worked_example_18_with_a_fee_in_pounds() -> None:
    tables = replace(TABLES, fees=(Fee(carrier="x", rate_bp=250, least_minor=500, currency="GBP"),))
    goods = [sold("820190 CN 160.00", 1, "GBP")]
    declared = declare(goods, "GBP", 1_200, 400, sender_pays=True)
    due = estimate(declared, Journey("PT", "GB", DAY, "x"), tables)
    assert (due.value_minor, due.duty_minor, due.tax_minor, due.fee_minor) == (17_200, 688, 3_578, 500)


def test_the_newest_rate_of_the_day_counts_and_a_currency_without_one_is_said() -> None:
    assert TABLES.convert(10_000, "EUR", "GBP", date(2026, 1, 1)) == 8_500
    assert TABLES.convert(10_000, "EUR", "GBP", date(2026, 1, 2)) == 8_800
    assert TABLES.convert(175, "JPY", "EUR", DAY) == 100
    assert TABLES.convert(100, "EUR", "ZWL", DAY) is None
    goods = declare([sold("820190 CN 160.00", 1, "EUR")], "EUR", 0, 0)
    notes = estimate(goods, Journey("PT", "GB", DAY), TABLES).notes
    assert "Converted at 0.88 GBP for 1 EUR, sample rate, 2 January 2026." in notes


AMOUNTS = st.integers(0, 10_000_000)


@given(st.integers(-10_000_000, 10_000_000), st.lists(st.integers(0, 10_000), min_size=1, max_size=12))
def test_spreading_loses_nothing_and_nobody_is_off_by_a_whole_unit(amount: int, weights: list[int]) -> None:
    shares, whole = spread(amount, weights), sum(weights)
    assert sum(shares) == amount
    if whole:
        assert all(abs(share * whole - amount * w) < whole for share, w in zip(shares, weights, strict=True))


def test_worked_example_30() -> None:
    assert spread(1_290, [3_870, 1_780, 1_980]) == (654, 301, 335)
    with pytest.raises(ValueError, match="nothing"):
        spread(1, [])


LINES = st.lists(st.tuples(st.integers(1, 9), st.integers(0, 5_000), st.integers(0, 90_000)), min_size=1, max_size=6)


@given(LINES, AMOUNTS, st.integers(0, 40_000), st.integers(1, 4), st.randoms(use_true_random=False))
def test_no_cent_and_no_gram_is_lost_between_the_whole_and_its_parcels(lines, shipping, packed, count, chance) -> None:  # type: ignore[no-untyped-def]
    goods = [Sold(str(n), "", "", pieces, grams, price, 100) for n, (pieces, grams, price) in enumerate(lines)]
    net = sum(g.quantity * g.weight_g for g in goods)
    whole = declare(goods, "EUR", shipping, net + packed)
    assert (whole.shipping_minor, whole.net_g, whole.gross_g) == (shipping, net, net + packed)
    assert whole.goods_minor == sum((g.price_minor or 100) * g.quantity for g in goods)
    parcels: list[dict[str, int]] = [{} for _ in range(count)]
    for g in goods:
        for _ in range(g.quantity):
            one = chance.choice(parcels)
            one[g.id] = one.get(g.id, 0) + 1
    gross = [sum(g.weight_g * p.get(g.id, 0) for g in goods) + 40 for p in parcels]
    parts = by_parcel(whole, parcels, gross)

    def both(what: str) -> tuple[int, int]:
        return sum(getattr(part, what) for part in parts), getattr(whole, what)

    for what in ("goods_minor", "shipping_minor", "total_minor", "net_g"):
        assert len(set(both(what))) == 1, what
    if count > 1:
        assert all(
            sum(i.gross_g for i in p.items) == g for p, g in zip(parts, gross, strict=True) if p.items and p.net_g
        )


def test_what_is_free_is_declared_with_its_worth_and_what_is_said_holds_for_this_one() -> None:
    goods = [Sold("1", "A", "Pot", 2, 300, 0, 450, "Pot of clay", "691490", "PT"), Sold("2", "B", "Fork", 0, 1, 1)]
    said = CustomsSaid(items={"1": ItemSaid(text="Clay pot, broken, for testing", value_minor=100)})
    assert read_said(json.loads(json.dumps(write_said(said)))) == said
    assert write_said(CustomsSaid()) == {}
    (plain,), (changed,) = declare(goods, "EUR", 0, 0).items, declare(goods, "EUR", 0, 0, said).items
    assert (plain.value_minor, plain.free, plain.said) == (900, True, False)
    assert (changed.value_minor, changed.text[:8], changed.said) == (200, "Clay pot", True)
    with pytest.raises(ValueError, match="purpose"):
        read_said({"purpose": "theft"})


@pytest.mark.parametrize(
    ("text", "vague"),
    [
        ("", "nothing"), ("12", "number"), ("Garden tool", "class"), ("Garden tool", "neither"), ("spray", "neither"),
        ("Red, large", "colour"), ("Larkspur & Loam", "brand"), ("Gift set", "class"), ("Parts", "class"),
        ("12 pieces, blue", "colour"), ("Lamps", "neither"), ("\u202e\u202d", "nothing"),
        ("Hand fork for gardening, steel, ash handle", ""), ("Printed diary, hardback", ""), ("Live moss for planting", ""),
        ("Candle of citronella wax", ""), ("Tools, steel, for pruning", ""),
    ],
)  # fmt: skip
def test_words_that_customs_accepts(text: str, vague: str) -> None:
    why = why_vague(text, "Larkspur & Loam")
    assert any(vague in one for one in why) if vague else not why


def test_a_better_text_is_made_of_facts_or_not_at_all() -> None:
    made = better_text("Neem oil spray 250 ml", "neem oil emulsion", "spraying plants")
    assert made == "Neem oil spray, neem oil emulsion, for spraying plants"
    assert better_text("Gift set", "", "") == ""


@pytest.mark.parametrize(
    ("code", "wrong"),
    [("8201.90", ""), ("820190", ""), ("8201 90 00 10", ""), ("8201", "fewer"), ("82019x", "signs"), ("779999", "chapter"),
     ("980000", "chapter"), ("1234567890123", "more"), ("８２０１９０", "signs")],
)  # fmt: skip
def test_the_form_of_a_code(code: str, wrong: str) -> None:
    found = bad_form(code)
    assert wrong in found if wrong else not found


def test_a_code_as_it_is_printed() -> None:
    assert (code_text("820190"), code_text("8201.90.0010")) == ("8201.90", "8201.90.00.10")


@pytest.mark.parametrize(
    ("kind", "right", "wrong"),
    [
        ("EORI", "PT 500000000", "US500000000"), ("GB VAT", "GB 980 7806 84", "GB980780685"), ("IOSS", "IM6200000001", "IM62"),
        ("VOEC", "2000001", "20000011"), ("REX", "PTREX500000000", "PT500"), ("EIN", "04-2103594", "04-21035"),
        ("ABN", "51 824 753 556", "51824753557"), ("CPF", "390.533.447-05", "390.533.447-06"),
        ("CNPJ", "16.727.230/0001-97", "16.727.230/0001-98"), ("VAT", "PT 501964843", "PT501964842"),
        ("CH VAT", "CHE-107.787.577 IVA", "CHE107787578IVA"),
    ],
)  # fmt: skip
def test_numbers_of_both_sides_by_form(kind: str, right: str, wrong: str) -> None:
    assert bad_number(kind, right) == ""
    assert kind in bad_number(kind, wrong)
    assert bad_number(kind, "")
    assert right[-3:] == shown(right)[-3:] or "•" in shown(right)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"duty": []}, "no table"), ({"duties": [{"to": ["GB"], "rate": 4}]}, "no “rate”"),
        ({"duties": [{"to": ["GB"], "rate_bp": -1}]}, "whole"), ({"duties": [{"rate_bp": 1.5}]}, "whole"),
        ({"duties": [{"rate_bp": True}]}, "whole"), ({"taxes": [{"begins": "soon"}]}, "no day"),
        ({"exchange_rates": [{"currency": "GBP", "millionths": 0, "day": "2026-01-01"}]}, "more than nothing"),
        ({"exchange_rates": [{}]}, "not as it should"), ({"duties": [{"to": 3}]}, "list of words"), ({"taxes": [{"inside": "yes"}]}, "cannot be"),
        ({"places": [{"value": "guess"}]}, "cannot be"), ({"fees": [{"least_minor": None}]}, "whole"), ({"taxes": [{"ends": 5}]}, "no day"), ({"papers": ["x"]}, "not as it should"), ({"papers": 5}, "not as it should"),
    ],
)  # fmt: skip
def test_tables_that_cannot_be_are_refused_by_row(change: dict[str, object], said: str) -> None:
    with pytest.raises(ValueError, match=said):
        read_tables({**WRITTEN, **change})


def test_nothing_to_send_declares_nothing() -> None:
    empty = declare([], "EUR", 500, 100)
    assert isinstance(empty, Declaration)
    assert (empty.items, estimate(empty, Journey("PT", "GB", DAY), TABLES).known) == ((), False)


def search() -> CodeSearch:
    written = json.loads((files("tidewind") / "data" / "customs" / "codes.json").read_text(encoding="utf-8"))
    return CodeSearch(read_entries(written["entries"], written["chapters"]))


def test_four_of_five_everyday_descriptions_find_their_code_among_the_first_five() -> None:
    codes = search()
    asked = list(csv.DictReader(_WORDS.splitlines(), delimiter=";"))
    missed = [a["text"] for a in asked if a["code"] not in {hit.entry.code for hit in codes.find(a["text"])}]
    assert len(asked) >= 120
    assert len(missed) * 5 <= len(asked), missed


def test_a_hit_says_its_path_and_reason_and_own_choices_weigh() -> None:
    written = json.loads((files("tidewind") / "data" / "customs" / "codes.json").read_text(encoding="utf-8"))
    entries = read_entries(written["entries"], written["chapters"])
    (hit,) = CodeSearch(entries).find("secateurs", 1)
    assert (hit.entry.code, hit.entry.path[0][:2], hit.why) == ("820150", "82", "for secateur")
    assert CodeSearch(entries).find("zorb frobnicator") == []
    assert CodeSearch(entries, own=(("zorb", "950300"),)).find("zorb")[0].entry.code == "950300"
    assert [h.entry.code for h in CodeSearch(entries).find("8201.5")] == ["820150"]
    assert {h.entry.code[:4] for h in CodeSearch(entries).find("8201")} == {"8201"}


def test_worked_example_33_a_sale_sent_back_pays_nothing_and_says_why() -> None:
    leaving = Leaving(Address(country="PT"), "GBP", CustomsBook(TABLES), DAY)
    declared = declare([sold("820190 PT 160.00", 1, "GBP")], "GBP", 1_200, 400)
    journey = Journey("PT", "GB", DAY, "norvia", "parcel", 2)
    out = Border(declared, journey, estimate(declared, journey, TABLES), ())
    back = way_back(out, {}, leaving)
    assert (back.declared.goods_minor, back.declared.shipping_minor, back.due.total_minor) == (16_000, 0, 0)
    assert any("returned goods" in step.why for step in back.due.steps)
    assert {need.kind for need in back.needs if need.copies} == {"cn23", "returned_goods"}
    assert way_back(out, {"S1": 9}, leaving).declared == back.declared
    assert way_back(out, {"another": 1}, leaving).declared.items == ()


def test_a_part_of_the_eu_outside_its_customs_territory_is_no_eu_destination() -> None:
    goods = LineFacts(
        "1", "A", "Fork", 1, 300, None, 5_000, customs_text="Hand fork of steel", hs_code="820190", origin="PT"
    )
    leaving = Leaving(Address(country="PT", postcode="3800-587"), "EUR", CustomsBook(TABLES), DAY)
    found = {}
    for postcode in ("35001", "28001"):
        order = OrderFacts((goods,), Address(name="A", street="B", city="C", postcode=postcode, country="ES"))
        found[postcode] = border_of(order, leaving, Going(post="parcel", gross_g=400))
    assert found["28001"] is None
    canary = found["35001"]
    assert canary is not None
    assert (canary.journey.to, canary.due.known) == ("ES (outside the EU)", False)
    assert {need.kind for need in canary.needs} == {"cn23", "invoice", "unknown_destination"}


@pytest.mark.parametrize(
    ("sender", "to", "crossed"),
    [("", "PT", ""), ("", "CH", "PT to CH"), ("CH", "PT", "CH to PT"), ("CH", "CH", ""), ("ES", "PT", ""),
     ("ES", "CH", "ES to CH"), ("GB", "IE", "GB to IE")],
)  # fmt: skip
def test_the_border_counts_from_whoever_sends_this_order(sender: str, to: str, crossed: str) -> None:
    goods = LineFacts("1", "A", "Fork", 1, 300, None, 5_000, customs_text="", hs_code="", origin="")
    leaving = Leaving(Address(country="PT"), "EUR", CustomsBook(TABLES), DAY)
    other = Address(name="M", street="S", city="T", country=sender) if sender else None
    order = OrderFacts((goods,), Address(name="A", street="B", city="C", country=to), sender=other)
    border = border_of(order, leaving, Going(post="parcel", gross_g=400))
    assert (f"{border.journey.leaves} to {border.journey.to}" if border else "") == crossed
    assert bool(missing_facts(order, leaving)) == bool(crossed), "what customs asks of the goods is a snag of the plan"


goods_abroad = st.builds(
    LineFacts, st.sampled_from("123"), st.sampled_from(["A", "B"]), st.just("Fork"), st.integers(0, 3),
    st.sampled_from([None, 300, 21_000]), st.none(), st.sampled_from([0, 900, 250_000]),
    contents=st.sampled_from([frozenset(), frozenset({"lithium"}), frozenset({"plants"})]),
    customs_text=st.sampled_from(["Hand fork of steel", "gift", ""]),
    hs_code=st.sampled_from(["820190", "060290", "82", ""]), origin=st.sampled_from(["PT", "CN", ""]),
)  # fmt: skip


@given(
    st.lists(goods_abroad, min_size=1, max_size=3, unique_by=lambda ln: ln.id),
    st.sampled_from(["GB", "US", "CH", "NO", "AU", "BR", "ES", "ZZ"]),
    st.sampled_from(["sale", "gift", "documents", "return"]),
    st.builds(Going, st.just("norvia"), st.sampled_from(["", "letter", "parcel"]), gross_g=st.sampled_from([90, 9_000]),
              parcels=st.integers(1, 2)),
)  # fmt: skip
def test_a_plan_misses_what_the_border_misses_and_says_each_thing_once(
    lines: list[LineFacts], country: str, purpose: str, going: Going
) -> None:
    leaving = Leaving(Address(country="PT"), "EUR", CustomsBook(TABLES, {"EORI": "PT123456789"}), DAY)
    hand = Hand(customs=read_said({"purpose": purpose}))
    order = OrderFacts(tuple(lines), Address(name="A", street="B", city="C", country=country), hand=hand)
    facts, way = missing_facts(order, leaving), missing_on_the_way(order, leaving, going)
    border = border_of(order, leaving, going)
    assert (border is None) == (country == "ES")
    at_the_border = snags_of(border.needs) if border else []
    assert sorted([*facts, *way], key=repr) == sorted(at_the_border, key=repr)
    assert {snag.code for snag in facts}.isdisjoint(snag.code for snag in way)
