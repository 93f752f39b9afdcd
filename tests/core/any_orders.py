"""Orders as they may come: any weights and sizes, good and bad addresses, wishes by hand that can and cannot be met."""

from __future__ import annotations

from datetime import date

from hypothesis import strategies as st

from tidewind.core.addresses.check import Address
from tidewind.core.order_facts import Hand, LineFacts, OrderFacts

side = st.none() | st.integers(5, 900)
lines = st.builds(
    lambda n, qty, weight, sides, value, flags, goods: LineFacts(
        str(n),
        f"SKU-{n}",
        f"Thing {n}",
        qty,
        weight,
        None if None in sides else sides,
        value,
        flags[0],
        flags[1],
        flags[2],
        frozenset(goods),
    ),
    st.integers(1, 9),
    st.integers(1, 12),
    st.none() | st.integers(1, 9000),
    st.tuples(side, side, side),
    st.integers(0, 50_000),
    st.tuples(st.booleans(), st.booleans(), st.booleans()),
    st.sets(st.sampled_from(["lithium", "limited_quantity", "dangerous"])),
)
addresses = st.builds(
    Address,
    name=st.text(max_size=20),
    street=st.sampled_from(["Rua 1", "", "Apartado 7"]),
    city=st.sampled_from(["Viseu", ""]),
    postcode=st.sampled_from(["3500-108", "9500-321", "", "nonsense", "69003", "HR1 2PX"]),
    country=st.sampled_from(["PT", "ES", "FR", "GB", "US", "ZZ", ""]),
    region=st.sampled_from(["", "OR"]),
)
hands = st.builds(
    Hand,
    packaging=st.sampled_from([None, "CTN-L", "POT-M", "GHOST"]),
    service=st.sampled_from([None, "bp-road", "bp-night", "np-box-s", "ghost"]),
    extras=st.sampled_from([None, frozenset({"signature"}), frozenset({"cover", "signature"}), frozenset({"ribbon"})]),
    ship_date=st.sampled_from([None, date(2026, 11, 28), date(2026, 12, 1), date(2020, 1, 1)]),
)
orders = st.builds(
    OrderFacts,
    st.lists(lines, max_size=5).map(tuple),
    addresses,
    st.booleans(),
    st.none() | st.dates(date(2026, 11, 20), date(2026, 12, 20)),
    hands,
)
