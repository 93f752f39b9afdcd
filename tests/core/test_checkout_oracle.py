"""2,000 random baskets, and carriers with every fault, against a reckoning of the offers' page in plain decimals."""

from __future__ import annotations

import random
from dataclasses import replace
from datetime import date
from decimal import ROUND_CEILING, ROUND_HALF_UP, Decimal
from typing import Any

from tests.run.length import SEED
from tidewind.core.checkout.answering import Basket, BasketLine, PackedBasket, ServicePrice, answer
from tidewind.core.checkout.offer import (
    Adjusting,
    ByTable,
    Fallback,
    Flat,
    Free,
    Handling,
    Limits,
    Live,
    Offer,
    PerItem,
    PerKilogram,
)
from tidewind.core.checkout.reach import Reach
from tidewind.core.checkout.tables import RateTable, TableRow

CURRENCIES = {"EUR": 2, "JPY": 0, "KWD": 3}
BANDS, PRICES = (500, 2_000, 9_000), (290, 560, None)
TABLE = RateTable("t", "T", "weight_g", BANDS, (TableRow(Reach(frozenset({"PT"})), PRICES),))
FAULTS = ("priced", "priced", "waits", "refused", "gone")
"""What a carrier made of the question: a price, no answer, a refusal, or the service is not there any more."""


def some(chance: random.Random, value: Any, one_in: int = 2) -> Any:
    return value if chance.randrange(one_in) == 0 else None


def any_offer(chance: random.Random, n: int, currency: str) -> Offer:
    kind = chance.choice(["live", "live", "each", "flat", "item", "kg", "table"])
    prices = {
        "flat": Flat(chance.randrange(2_000)),
        "item": PerItem(chance.randrange(900), chance.randrange(300)),
        "kg": PerKilogram(chance.randrange(500), chance.randrange(300)),
        "table": ByTable("t"),
    }
    whole = 10 ** (CURRENCIES[currency] or 2)
    low, high = sorted((chance.randrange(1_500), chance.randrange(1_500)))
    adjusting = Adjusting(
        chance.choice([0, 0, 800, -700, -10_000, 1_234]),
        chance.choice([0, 0, 150, -400]),
        Handling(*(chance.choice([0, 0, 35]) for _ in range(3))),
        some(chance, chance.randrange(whole)),
        some(chance, low, 3),
        some(chance, high, 3),
    )
    return Offer(
        f"o{n}",
        (("en", f"Offer {n}"),),
        prices.get(kind) or Live(("a", "b", "c"), each=kind == "each"),
        on=chance.random() > 0.1,
        adjusting=adjusting,
        free=some(chance, Free(chance.randrange(9_000), chance.choice(["before", "after"])), 3),
        fallback=Fallback(some(chance, 590), some(chance, 1_290)),
        limits=Limits(value=(None, some(chance, 8_000, 4))),
        takes=("a", "b") if chance.random() < 0.2 else (),
        groups=(("trade", chance.randrange(900)),) if chance.random() < 0.3 else (),
    )


def half_up(amount: Decimal) -> int:
    """Half up means away from nothing for what is above it; money below nothing does not come up here."""
    return int(amount.quantize(Decimal(1), ROUND_HALF_UP))


def adjusted_by_hand(price: int, offer: Offer, basket: Basket, parcels: int, currency: str) -> int:
    how = offer.adjusting
    price = max(half_up(price * (1 + Decimal(how.percent_bp) / 10_000)), 0)
    price = max(price + how.amount, 0)
    price += how.handling.order + how.handling.parcel * parcels + how.handling.item * basket.items
    if how.ending is not None and price > 0:
        whole = 10 ** (CURRENCIES[currency] or 2)
        price = int(((Decimal(price) - how.ending) / whole).to_integral_value(ROUND_CEILING)) * whole + how.ending
    price = max(price, how.floor or 0)
    return price if how.ceiling is None else min(price, how.ceiling)


def expected(
    offer: Offer, basket: Basket, packed: PackedBasket, states: dict[str, str], vat_bp: int, currency: str
) -> dict[str, tuple[int, str]] | None:
    """What an offer is by the page: price and source of each of its lines; None where it is not offered."""
    before = sum(line.quantity * line.unit_price for line in basket.lines)
    if not offer.on or (offer.limits.value[1] is not None and before > offer.limits.value[1]):
        return None
    priced = {code: packed.services[code].net for code in "abc" if states[code] == "priced"}
    free = offer.free and (before if offer.free.counts == "before" else max(before - basket.discount, 0))
    is_free = offer.free is not None and free is not None and free >= offer.free.from_value
    group = dict(offer.groups).get(basket.group)

    def shown(price: int) -> int:
        price = adjusted_by_hand(price, offer, basket, packed.parcels, currency) if group is None else group
        return 0 if is_free else price

    if isinstance(offer.price, Live):
        gross = {code: p + half_up(Decimal(p) * vat_bp / 10_000) for code, p in priced.items() if p is not None}
        if gross and offer.price.each:
            return {f"{offer.code}:{code}": (shown(price), "live") for code, price in gross.items()}
        if gross:
            return {offer.code: (shown(min(gross.values())), "live")}
        fallback = offer.fallback.abroad if packed.abroad else offer.fallback.home
        if "waits" not in states.values() or (fallback is None and group is None):
            return None
        stands = group if group is not None else fallback
        return {offer.code: (0 if is_free else stands or 0, "fallback")}
    if offer.takes and not {states["a"], states["b"]} & {"priced", "waits"}:
        return None
    made = own_by_hand(offer, basket, packed.gross_g or 0)
    return None if made is None else {offer.code: (shown(made), "own")}


def own_by_hand(offer: Offer, basket: Basket, gross_g: int) -> int | None:
    match offer.price:
        case Flat(price):
            return price
        case PerItem(first, further):
            return first + further * (basket.items - 1)
        case PerKilogram(base, kilogram):
            return base + kilogram * int((Decimal(gross_g) / 1_000).to_integral_value(ROUND_CEILING))
        case _:
            bands = [p for p, most in zip(PRICES, BANDS, strict=True) if gross_g <= most]
            return bands[0] if bands and basket.country == "PT" else None


def test_two_thousand_baskets_are_offered_what_a_reckoning_by_hand_says() -> None:
    chance, lines = random.Random(SEED), 0
    for turn in range(2_000):
        currency, vat_bp = chance.choice(list(CURRENCIES)), chance.choice([0, 2_300, 1_900, 550])
        offers = [any_offer(chance, n, currency) for n in range(3)]
        pieces = tuple(
            BasketLine(f"S{n}", chance.randint(1, 4), chance.randrange(3_000)) for n in range(chance.randint(1, 3))
        )
        country = chance.choice(["PT", "PT", "FR"])
        group = chance.choice(["", "", "trade"])
        basket = Basket(pieces, country, "3500-108", discount=chance.randrange(2_000), group=group)
        states = {code: chance.choice(FAULTS) for code in "abc"}
        services = {
            code: ServicePrice(
                code,
                code.upper(),
                chance.randrange(3_000) if state == "priced" else None,
                "14 cm too long" if state == "refused" else "",
                waits=state == "waits",
                latest=date(2026, 11, 30),
            )
            for code, state in states.items()
            if state != "gone"
        }
        gross_g, parcels = chance.choice([1, 500, 501, 1_999, 2_000, 9_000, 9_001]), chance.randint(1, 3)
        packed = PackedBasket("B", parcels, gross_g, 9_000, country != "PT", services)
        found = answer(offers, {"t": TABLE}, basket, packed, currency, vat_bp=vat_bp)
        wanted: dict[str, tuple[int, str]] = {}
        for offer in offers:
            wanted |= expected(offer, basket, packed, states, vat_bp, currency) or {}
        assert {line.code: (line.price, line.source) for line in found.offered} == wanted, (turn, SEED)
        assert all(one.why for one in found.absent)
        for line in found.offered:
            net = half_up(Decimal(line.price) * 10_000 / (10_000 + vat_bp))
            assert line.vat == line.price - net, (line, vat_bp)
            assert line.steps[-1].price == line.price
            lines += 1
    assert lines > 2_000  # most baskets are offered something


def test_a_packed_basket_that_is_not_placed_yet_has_no_price_but_the_fallback() -> None:
    live = Offer("o", (("en", "O"),), Live(("a",)), fallback=Fallback(590))
    packed = PackedBasket(refused="the address is not whole", unplaced=True)
    basket = Basket((BasketLine("S", 1, 100),), "PT", "")
    assert answer([live], {}, basket, packed, "EUR").offered[0].source == "fallback"
    bare = replace(live, fallback=Fallback())
    assert not answer([bare], {}, basket, packed, "EUR").offered
