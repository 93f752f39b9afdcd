"""The engine over cards of every shape: sums, refusals, the quick ways equal to the long one, cards in and out."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import date, time
from itertools import permutations
from typing import Any

import jsonschema
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.any_cards import DAY, ORIGINS, ZONES, cards, consignments, discounts, sizes
from tests.core.price_oracle import price
from tests.run.length import examples
from tidewind.core.calendar import Transit
from tidewind.core.consignments import Consignment, Goods, Parcel, Route
from tidewind.core.quantities import Refused, Size, percent_of
from tidewind.core.tariffs.card import Amount, Network, RateCard, Service, Steps, Surcharge, card_in_force
from tidewind.core.tariffs.contracts import terms
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.core.tariffs.load import load_of
from tidewind.core.tariffs.quote import Quote, explain
from tidewind.core.tariffs.sheets import to_sheets
from tidewind.core.tariffs.sheets_read import read_sheets
from tidewind.core.tariffs.totals import REFUSED, totals
from tidewind.core.tariffs.written import card_schema, read_card, write_card

NETWORKS = (Network("truck", "Truck", time(16, 30), None),)
many = st.lists(consignments, min_size=1, max_size=5)


@settings(max_examples=examples(40))
@given(cards(), discounts, many)
def test_totals_over_columns_are_the_itemised_prices_to_the_cent(
    card: RateCard, cuts: Any, loads: list[Consignment]
) -> None:
    compiled = CompiledCard(card, DAY, terms(cuts))
    found = totals(compiled, load_of(loads))
    for row, c in enumerate(loads):
        for column, code in enumerate(found.codes):
            quote = compiled.quote(code, c)
            priced = (REFUSED, 0) if isinstance(quote, Refused) else (quote.net, quote.tax)
            assert (found.net[row, column], found.tax[row, column]) == priced, (code, c, quote)


@settings(max_examples=examples(20))
@given(cards(), many, st.data())
def test_columns_put_into_a_box_are_the_columns_of_what_lies_in_it(
    card: RateCard, loads: list[Consignment], data: st.DataObject
) -> None:
    chosen = sorted(data.draw(st.sets(st.integers(0, len(loads) - 1))))
    gross = data.draw(st.lists(st.integers(1, 33_000), min_size=len(chosen), max_size=len(chosen)))
    size, packaging = data.draw(sizes), data.draw(st.sampled_from([None, "BOX"]))
    boxed = [
        loads[n].in_parcels((Parcel(g, size, packaging, any(p.not_stackable for p in loads[n].parcels)),))
        for n, g in zip(chosen, gross, strict=True)
    ]
    inside = load_of(loads).in_one_box(np.array(chosen, np.int64), np.array(gross, np.int64), size, packaging)
    compiled = CompiledCard(card, DAY)
    found, expected = totals(compiled, inside), totals(compiled, load_of(boxed))
    assert len(inside) == len(boxed)
    assert (found.net.tolist(), found.tax.tolist()) == (expected.net.tolist(), expected.tax.tolist())


@settings(max_examples=examples(25))
@given(cards(), discounts, many)
def test_lines_sum_up_and_what_is_remembered_changes_nothing(
    card: RateCard, cuts: Any, loads: list[Consignment]
) -> None:
    warm = CompiledCard(card, DAY, terms(cuts))
    for c in [*loads, *reversed(loads)]:
        for code, service in warm.services.items():
            quote = warm.quote(code, c)
            rates = service.rates(where, c.route.home) if (where := warm.where(c)) else None
            if rates is None:
                assert quote == Refused("not_served", "does not go there")
                continue
            assert quote == service._full(c, rates)
            if isinstance(quote, Refused):
                assert quote.detail
                continue
            assert sum(line.amount for line in quote.lines) == quote.net
            assert 0 <= quote.tax <= percent_of(quote.net, card.tax_bp) + 1
            assert all(explain(line, "EUR") is not None for line in quote.lines)


@settings(max_examples=examples(20))
@given(cards(), consignments)
def test_turning_a_box_changes_nothing(card: RateCard, c: Consignment) -> None:
    compiled, first = CompiledCard(card, DAY), c.parcels[0]
    turns = permutations((first.size.longest, first.size.middle, first.size.shortest))
    turned = [replace(c, parcels=(replace(first, size=Size.of(*turn)), *c.parcels[1:])) for turn in turns]
    for code in compiled.services:
        assert len({repr(compiled.quote(code, each)) for each in turned}) == 1


@settings(max_examples=examples(20))
@given(cards(), consignments, st.integers(1, 999))
def test_one_more_surcharge_is_dearer_or_equal(card: RateCard, c: Consignment, figure: int) -> None:
    more = Surcharge("more", "One more", Amount("fixed", figure))
    richer = replace(
        card,
        surcharges=(*card.surcharges, more),
        services=tuple(replace(s, surcharges=(*s.surcharges, "more")) for s in card.services),
    )
    for code in (s.code for s in card.services):
        before, after = CompiledCard(card, DAY).quote(code, c), CompiledCard(richer, DAY).quote(code, c)
        assert isinstance(before, Quote) is isinstance(after, Quote)
        if isinstance(before, Quote) and isinstance(after, Quote):
            assert after.net >= before.net + figure


@settings(max_examples=examples(15))
@given(cards())
def test_a_card_written_and_read_again_is_the_same_card(card: RateCard) -> None:
    written = json.loads(json.dumps(write_card(card)))
    jsonschema.validate(written, card_schema())
    assert read_card(written) == card


@settings(max_examples=examples(20))
@given(cards())
def test_a_card_in_tables_and_back_is_the_same_card(card: RateCard) -> None:
    assert read_sheets(to_sheets(write_card(card))) == card


@settings(max_examples=examples(30))
@given(cards(), st.lists(discounts, min_size=2, max_size=3), consignments)
def test_several_accounts_cost_what_the_cheapest_alone_does(card: RateCard, cuts: list[Any], c: Consignment) -> None:
    accounts = [terms(mine, f"A{n}")[0] for n, mine in enumerate(cuts)]
    alone = {account.number: CompiledCard(card, DAY, [account]) for account in accounts}
    for code, quoted in ((code, CompiledCard(card, DAY, accounts).quote(code, c)) for code in alone["A0"].services):
        each = {number: compiled.quote(code, c) for number, compiled in alone.items()}
        if isinstance(quoted, Refused):
            assert set(each.values()) == {quoted}
        else:
            assert quoted == each[quoted.account]
            assert quoted.net == min(q.net for q in each.values() if isinstance(q, Quote))


@settings(max_examples=examples(70))
@given(cards(), discounts, many, st.sampled_from([date(2026, 11, d) for d in (21, 22, 23, 24, 28, 30)]), st.booleans())
def test_an_own_reckoning_from_the_written_card_comes_to_the_same(
    card: RateCard, cuts: Any, loads: list[Consignment], ship_date: date, by_ship_date: bool
) -> None:
    card = replace(card, priced_by_ship_date=by_ship_date)
    written = json.loads(json.dumps(write_card(card), default=str))
    on = ship_date if written.get("priced_by_ship_date", False) else DAY
    found = card_in_force((card,), DAY, ship_date)
    assert found is not None
    compiled = CompiledCard(found, ship_date if found.priced_by_ship_date else DAY, terms(cuts))
    for c in loads:
        for service in written["services"]:
            quote = compiled.quote(service["code"], c)
            ours = None if isinstance(quote, Refused) else (quote.net, quote.tax)
            assert ours == price(written, service["code"], c, on, cuts), (service["code"], c, quote)


def test_an_extra_per_kg_costs_by_weight_and_one_by_value_is_asked_once() -> None:
    parcels = (Parcel(1_200, Size.of(300, 200, 100)), Parcel(2_100, Size.of(300, 200, 100)))
    for amount, net in ((Amount("per_kg", 100), 500), (Amount("per_value_step", 100, step=1_000), 300)):
        extra = Surcharge("cover", "Cover", amount)
        service = Service("s", "S", "truck", "one_price", {"mainland": Transit(1, 3)}, {"mainland": Steps((), (0,))},
                          extras=("cover",))  # fmt: skip
        card = RateCard("test", "EUR", date(2026, 1, 1), None, "Europe/Lisbon", "PT", False, 0, "VAT", (), NETWORKS,
                        ZONES, (), (extra,), (service,), ORIGINS)  # fmt: skip
        c = Consignment(Route("PT", "5180-101", False), Goods(3_000), parcels, frozenset({"cover"}))
        quote = CompiledCard(card, DAY).quote("s", c)
        assert isinstance(quote, Quote)
        assert quote.net == net
        assert totals(CompiledCard(card, DAY), load_of([c])).net[0, 0] == net
