"""A day on which anybody does anything, in any order and in every room: what must be true between the rooms stays so."""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Callable
from datetime import timedelta
from itertools import count

import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tests.conftest import Clock
from tests.run.length import seeds
from tests.services.steps import books, person
from tidewind.core.states.labels import LabelState
from tidewind.db.tables import (
    Batch,
    Departure,
    Label,
    LedgerEntry,
    LedgerLine,
    Order,
    PackagingRow,
    Pickup,
    RecipeRow,
    Return,
    Shipment,
)
from tidewind.services.base import NotFound, ServiceError, standing_of
from tidewind.services.bench import finish_packings, scan_at_bench
from tidewind.services.buying import (
    ToBuy,
    archive_batch,
    ask_to_buy,
    ask_void,
    buy_shipment,
    cancel_waiting,
    fill_batch,
    settle_due_voids,
    start_batch,
    sweep,
    take_out,
)
from tidewind.services.follow import (
    ReturnDone,
    ReturnRequest,
    ask_return,
    close_return,
    follow_parcels,
    make_due_returns,
    open_claim,
    receive_return,
    send_due_news,
)
from tidewind.services.handover import (
    DepartureKey,
    PickupWish,
    ask_for_pickups,
    cancel_pickup,
    close_manifest,
    count_out,
    hand_over,
    move_pile,
    open_count_again,
    pass_departures,
    reopen_manifest,
    settle_pickups,
    take_count_back,
)
from tidewind.services.orders import (
    WorkFilter,
    approve_orders,
    clear_party,
    edit_address,
    edit_hand,
    join_orders,
    list_orders,
    send_apart,
    set_held,
    set_sent,
    undo_change,
    use_billing_name,
    view_counts,
)
from tidewind.services.papers import mark_printed
from tidewind.services.people import Who
from tidewind.services.planning import (
    ShopDefaults,
    current_rules,
    is_waiting,
    keep_up_due,
    link_promise,
    plan_orders,
    remove_recipe,
    replan_waiting,
    save_recipe,
    save_rules,
    set_shop_defaults,
)
from tidewind.services.shop import edit_products, set_policy, set_stock, switch_carrier
from tidewind.standins.world import World
from tidewind.web.access import Wiring

STEPS = 70
FAULTS = ("error", "down", "duplicate_answer", "repeat_refused", "dearer")


class Walk:
    """One day: what was done of it, for whoever reads a failure, and what may be done next."""

    def __init__(self, wiring: Wiring, world: World, clock: Clock, seed: int) -> None:
        self.wiring, self.world, self.clock, self.chance = wiring, world, clock, random.Random(seed)
        self.done: list[str] = []
        self.refused: Counter[str] = Counter()
        self.keys = count(1)
        with wiring.sessions() as session:
            self.tome, self.ines = person(session, "tome"), person(session, "ines")

    def some(self, session: Session, most: int = 1, *clauses: object) -> list[Order]:
        """Return orders of which something may be left to do: those whose turn it is are asked again and again."""
        ids = session.scalars(select(Order.id).where(Order.id <= 40, *clauses).order_by(Order.id)).all()  # type: ignore[arg-type]
        if not ids:
            raise NotFound("none_left", "There is no such order today.")
        chosen = self.chance.sample(list(ids), min(most, len(ids)))
        return list(session.scalars(select(Order).where(Order.id.in_(chosen)).order_by(Order.id)))

    def shipment(self, session: Session, *clauses: object) -> Shipment | None:
        found = list(session.scalars(select(Shipment).where(*clauses).order_by(Shipment.id.desc()).limit(20)))  # type: ignore[arg-type]
        return self.chance.choice(found) if found else None

    def departure(self, session: Session) -> Departure | None:
        used = select(Label.departure_id).where(Label.departure_id.is_not(None))
        found = list(session.scalars(select(Departure).where(Departure.id.in_(used)).order_by(Departure.id)))
        return self.chance.choice(found) if found else None

    def step(self) -> None:
        """Do one thing; one that is refused in words has changed nothing."""
        what = self.chance.choice(ALL)
        self.done.append(what.__name__)
        try:
            if what in ALONE:
                what(self)
            else:
                with self.wiring.sessions.begin() as session:
                    what(self, session)
        except ServiceError as refusal:
            assert str(refusal)
            self.done[-1] += f" – {refusal}"
            self.refused[what.__name__] += 1


def hand(walk: Walk, session: Session) -> None:
    orders = walk.some(session, walk.chance.choice((1, 1, 3)))
    on = walk.clock().date() + timedelta(days=walk.chance.randrange(-1, 9))
    changes = walk.chance.choice([
        {"service": walk.chance.choice(("np-parcel", "bp-road", "pp-locker", "np-letter", "nothing-such", None))},
        {"extras": walk.chance.choice((["signature"], [], None, ["signature", "insurance"]))},
        {"ship_date": walk.chance.choice((on, None))}, {"desk": walk.chance.choice(("Bench 2", None))},
        {"split": walk.chance.choice(({"by": "quantity", "most": 1}, {"by": "weight", "most": 900}, None))},
        {"point": walk.chance.choice(("PT-3500-01", "XX", None))}, {"not_stackable": True}, {"weights_g": [700]},
    ])  # fmt: skip
    edit_hand(session, [o.id for o in orders], dict(changes), "Tomé", walk.clock())


def address(walk: Walk, session: Session) -> None:
    (order,), (other,) = walk.some(session), walk.some(session)
    edit_address(session, order.id, other.address, walk.chance.random() < 0.5, "Tomé", walk.clock())


def hold(walk: Walk, session: Session) -> None:
    orders = walk.some(session, 2)
    set_held(session, [o.id for o in orders], walk.chance.random() < 0.6, "Tomé", walk.clock())


def join(walk: Walk, session: Session) -> None:
    first = walk.some(session, 1, Order.state == "open")[0]
    other = walk.some(session, 1, Order.state == "open", Order.id != first.id)[0]
    edit_address(session, other.id, first.address, first.home, "Tomé", walk.clock())
    join_orders(session, [first.id, other.id], "Tomé", walk.clock())


def apart(walk: Walk, session: Session) -> None:
    (order,) = walk.some(session)
    items = {line.id: walk.chance.randrange(0, line.quantity + 1) for line in order.lines}
    send_apart(session, order.id, items, "Tomé", walk.clock())


def sent_before(walk: Walk, session: Session) -> None:
    (order,) = walk.some(session, 1, Order.state == "open")
    line = walk.chance.choice(order.lines)
    set_sent(session, order.id, {line.id: walk.chance.randrange(0, line.quantity + 1)}, "Tomé", walk.clock())


def undo(walk: Walk, session: Session) -> None:
    undo_change(session, walk.some(session)[0].id, "Tomé", walk.clock(), of_others=True)


def approve(walk: Walk, session: Session) -> None:
    approve_orders(session, [o.id for o in walk.some(session, 3)], "Inês", walk.clock())


def ask(walk: Walk, session: Session) -> None:
    orders = walk.some(session, 4, Order.state == "open", Order.price_minor.is_not(None))
    wishes = [ToBuy(o.id, (o.price_minor or 0) - walk.chance.choice((0, 0, 0, 0, 1))) for o in orders]
    ask_to_buy(session, wishes, f"click-{next(walk.keys)}", walk.tome, walk.clock())


def buy(walk: Walk) -> None:
    if walk.chance.random() < 0.2:
        walk.world.set_fault(walk.chance.choice(("norvia", "brightmile")), walk.chance.choice(FAULTS), 1)
    with walk.wiring.sessions() as session:
        waiting = session.scalars(select(Shipment.id).where(Shipment.state == "buying").order_by(Shipment.id)).all()
    for shipment_id in walk.chance.sample(list(waiting), min(3, len(waiting))):
        buy_shipment(walk.wiring.sessions, walk.wiring.outside, shipment_id, walk.clock)


def swept(walk: Walk) -> None:
    sweep(walk.wiring.sessions, walk.wiring.outside, walk.clock)


def void(walk: Walk, session: Session) -> None:
    if shipment := walk.shipment(session):
        ask_void(session, [shipment.id], "Inês", walk.chance.random() < 0.7, walk.clock())


def voids_settled(walk: Walk) -> None:
    settle_due_voids(walk.wiring.sessions, walk.wiring.outside, walk.clock)


def batch(walk: Walk, session: Session) -> None:
    made = session.scalars(select(Batch).order_by(Batch.id.desc())).first()
    if made is None or walk.chance.random() < 0.3:
        made = start_batch(session, f"Pile {next(walk.keys)}", f"pile-{next(walk.keys)}", walk.tome)
    ids = [o.id for o in walk.some(session, 4)]
    if walk.chance.random() < 0.7:
        fill_batch(session, made.id, ids, walk.tome, walk.chance.random() < 0.5, walk.clock())
    else:
        take_out(session, made.id, ids, walk.clock())


def printed(walk: Walk, session: Session) -> None:
    if shipment := walk.shipment(session, Shipment.state == "bought"):
        mark_printed(session, [shipment.id], walk.chance.random() < 0.8, walk.clock())


def bench(walk: Walk, session: Session) -> None:
    (order,) = walk.some(session, 1, Order.state.in_(("open", "shipped")))
    name, who = walk.chance.choice(("Bench 1", "Bench 2")), Who(walk.tome, "Tomé", "packer", "")
    for code in (order.number, *(line.sku for line in order.lines for _ in range(line.quantity)), "TWCODE-SKIP"):
        scan_at_bench(session, name, code, who, walk.clock(), f"scan-{next(walk.keys)}")


def packed(walk: Walk) -> None:
    finish_packings(walk.wiring.sessions, walk.clock)


def departing(walk: Walk, session: Session) -> None:
    departure = walk.departure(session)
    if departure is None:
        return
    key = DepartureKey(departure.carrier, departure.network, departure.day)
    label = session.scalars(select(Label).where(Label.departure_id == departure.id).order_by(Label.id)).first()
    service = session.scalars(select(Shipment.service).where(Shipment.id == label.shipment_id)).one() if label else ""
    number = (label and walk.chance.random() < 0.8 and label.tracking_number) or "not one of ours"
    walk.chance.choice([
        lambda: count_out(session, key, number, walk.clock()),
        lambda: take_count_back(session, key, "", walk.clock()),
        lambda: hand_over(session, key, walk.chance.choice((None, 1, 2, 3)), "Driver", "", "Rute", walk.clock()),
        lambda: open_count_again(session, key, "not so", "Inês", walk.clock()),
        lambda: move_pile(session, key, service, key.day + timedelta(days=walk.chance.randrange(1, 4)), "Rute", walk.clock()),
        lambda: close_manifest(session, key, "Rute", walk.clock()),
        lambda: reopen_manifest(session, key, "Rute", walk.clock()),
        lambda: ask_for_pickups(session, [PickupWish(key, walk.chance.choice((0, 450)))], "Rute", walk.clock()),
    ])()  # fmt: skip


def pickup_cancelled(walk: Walk, session: Session) -> None:
    ids = session.scalars(select(Pickup.id).order_by(Pickup.id)).all()
    if ids:
        cancel_pickup(session, walk.chance.choice(list(ids)), "Rute", walk.clock())


def pickups_settled(walk: Walk) -> None:
    settle_pickups(walk.wiring.sessions, walk.wiring.outside, walk.clock)


def passed(walk: Walk) -> None:
    pass_departures(walk.wiring.sessions, walk.clock)


def time_goes(walk: Walk) -> None:
    walk.clock.move(hours=walk.chance.choice((0.1, 0.5, 1, 3, 3, 20)))
    keep_up_due(walk.wiring.sessions, walk.clock)


def followed(walk: Walk) -> None:
    follow_parcels(walk.wiring.sessions, walk.wiring.outside, walk.clock)


def send_back(walk: Walk, session: Session) -> None:
    if shipment := walk.shipment(session):
        ask_return(session, ReturnRequest(shipment.id, walk.chance.random() < 0.5, "too small"), "Inês", walk.clock())


def came_back(walk: Walk, session: Session) -> None:
    found = session.scalars(select(Return).order_by(Return.id)).all()
    if not found:
        return
    back = walk.chance.choice(list(found))
    if walk.chance.random() < 0.5:
        receive_return(session, back.tracking_number or "", "Rute", walk.clock())
    else:
        done = ReturnDone(walk.chance.choice(("refunded", "exchanged", "kept")), "as new", walk.chance.random() < 0.5)
        close_return(session, back.id, done, "Inês", "http://shop.test", walk.clock())


def returns_made(walk: Walk) -> None:
    make_due_returns(walk.wiring.sessions, walk.wiring.outside, walk.clock)


def planned_anew(walk: Walk, session: Session) -> None:
    replan_waiting(session, "a wish", walk.clock())


# What is set up beside the day's work: its plans follow at once, or count as out of date.


def goods(walk: Walk, session: Session) -> None:
    line = walk.chance.choice(walk.some(session)[0].lines)
    changes = walk.chance.choice([
        {"weight_g": walk.chance.choice((None, 120, 900, 31_000))}, {"own_box": walk.chance.random() < 0.5},
        {"length_mm": walk.chance.choice((None, 90, 700))}, {"value_minor": walk.chance.choice((100, 90_000))},
        {"hs_code": walk.chance.choice(("", "820130"))}, {"origin": walk.chance.choice(("", "PT"))},
        {"contents": walk.chance.choice(([], ["lithium"]))}, {"no_weekend": True}, {"customs_text": "gift"},
    ])  # fmt: skip
    edit_products(session, [line.sku], changes, walk.clock())


def policy(walk: Walk, session: Session) -> None:
    set_policy(session, walk.chance.choice(("cheapest", "fastest", "balanced")), walk.clock())


def defaults(walk: Walk, session: Session) -> None:
    group = walk.chance.choice(("country", "islands", "neighbours"))
    services = {group: walk.chance.choice(("np-parcel", "bp-road"))} if walk.chance.random() < 0.6 else {}
    wanted = ShopDefaults("cheapest", services, walk.chance.random() < 0.3, walk.chance.random() < 0.5)
    set_shop_defaults(session, wanted, walk.clock())


def rules(walk: Walk, session: Session) -> None:
    at_least = walk.chance.choice((0, 2_500, 6_000))
    does = walk.chance.choice([
        {"set": "hold", "to": "looked at first"}, {"set": "leave_out", "to": "fetched"}, {"set": "tag", "to": "dear"},
        {"set": "add_extra", "to": "signature"}, {"set": "desk", "to": "Bench 2"}, {"set": "approval", "to": "dear"},
        {"set": "service", "to": walk.chance.choice(("np-parcel", "bp-road"))},
    ])  # fmt: skip
    when = {"all": [{"fact": "value", "test": "at_least", "to": at_least}]}
    version, known = current_rules(session)
    mine = {"id": "walk", "name": "The walk's", "on": walk.chance.random() < 0.8, "when": when, "do": [does]}
    save_rules(session, [*(r for r in known if r["id"] != "walk"), mine], version, "", walk.ines, walk.clock())


def recipe(walk: Walk, session: Session) -> None:
    kept = [r.code for r in session.scalars(select(RecipeRow).order_by(RecipeRow.code))]
    promise = walk.some(session)[0].promise
    walk.chance.choice([
        lambda: save_recipe(session, None, f"Recipe {next(walk.keys)}", "np-parcel", None, ["signature"], walk.clock()),
        lambda: save_recipe(session, walk.chance.choice(kept), "Another", "bp-road", None, [], walk.clock()),
        lambda: remove_recipe(session, walk.chance.choice(kept)),
        lambda: link_promise(session, promise, walk.chance.choice([*kept, None]), walk.clock()),
        lambda: link_promise(session, promise, walk.chance.choice([*kept, None]), walk.clock()),
    ])()  # fmt: skip


def carriers(walk: Walk, session: Session) -> None:
    code = walk.chance.choice(("norvia", "brightmile", "pontolo"))
    switch_carrier(session, code, walk.chance.random() < 0.7, walk.clock())


def boxes(walk: Walk, session: Session) -> None:
    used = walk.chance.choice(list(session.scalars(select(PackagingRow).order_by(PackagingRow.id))))
    set_stock(session, used.id, walk.chance.choice((None, 0, 1, 500)), 5)


def cleared(walk: Walk, session: Session) -> None:
    order = walk.some(session)[0]
    found = [snag.about for snag in order.snags if snag.fix == "clear_party"] or ["nobody"]
    clear_party(session, order.id, found[0], "known to us", walk.ines, "Inês", walk.clock())


def billed(walk: Walk, session: Session) -> None:
    use_billing_name(session, [o.id for o in walk.some(session, 3)], "Tomé", walk.clock())


def claimed(walk: Walk, session: Session) -> None:
    if shipment := walk.shipment(session):
        open_claim(session, shipment.id, walk.chance.choice(("lost", "damaged")), "Rute", walk.clock())


def told(walk: Walk) -> None:
    send_due_news(walk.wiring.sessions, walk.wiring.outside, walk.clock)


def tucked_away(walk: Walk, session: Session) -> None:
    made = session.scalars(select(Batch.id).order_by(Batch.id)).all()
    if made:
        chosen = walk.chance.choice(list(made))
        if walk.chance.random() < 0.5:
            archive_batch(session, chosen, walk.chance.random() < 0.5)
        else:
            cancel_waiting(session, chosen, "Tomé", walk.clock())


ALONE: tuple[Callable[[Walk], None], ...] = (
    buy, swept, voids_settled, packed, pickups_settled, passed, time_goes, followed, returns_made, told,
)  # fmt: skip
SET_UP = (goods, goods, policy, defaults, rules, rules, recipe, recipe, carriers, boxes, cleared, billed)
ALL: tuple[Callable[..., None], ...] = (
    *ALONE, hand, hand, hand, address, hold, join, apart, sent_before, undo, approve, ask, ask, ask, buy, buy, void, void,
    batch, printed, bench, bench, departing, departing, departing, pickup_cancelled, send_back, came_back, planned_anew,
    claimed, tucked_away, *SET_UP,
)  # fmt: skip


def as_it_should_be(walk: Walk) -> None:
    """What no room owns alone: orders and labels, labels and departures, plans and what they follow from, the money."""
    with walk.wiring.sessions() as session:
        orders = {o.id: o for o in session.scalars(select(Order))}
        labelled: dict[int, list[Shipment]] = {}
        for shipment in session.scalars(select(Shipment)):
            labelled.setdefault(shipment.order_id, []).append(shipment)
        for order in orders.values():
            states = [s.state for s in labelled.get(order.id, [])]
            standing_of(order)
            assert sum(s in LabelState.COUNTS for s in states) <= 1, f"{order.number}: {states}"
            assert "bought" not in states or order.state == "shipped", f"{order.number} is {order.state}, with a label"
            assert all(0 <= line.sent <= line.quantity for line in order.lines), order.number
            if order.joined_to:
                host = orders[order.joined_to]
                assert host.joined_to is None, f"{order.number} goes along with {host.number}, which goes along itself"
                along = "shipped" if host.state == "shipped" else "held"
                assert (order.state, order.state_by) == (along, "join"), f"{order.number}: {order.state}; {host.state}"
            else:
                assert order.state_by != "join", order.number
        _labels_lie_where_they_leave(session)
        _every_order_is_in_its_views(session, orders)
        _plans_follow_from_what_is_there(walk, session, orders)
        buying = [s for mine in labelled.values() for s in mine if s.state == "buying" and s.payer == "balance"]
        waiting = session.scalars(select(Pickup).where(Pickup.state == "asked", Pickup.payer == "balance")).all()
        owed = sum(s.price_minor for s in buying) + sum(p.fee_minor for p in waiting)
    assert books(walk.wiring)["held"] == owed, "what is held is what is being bought"


def _labels_lie_where_they_leave(session: Session) -> None:
    for label, shipment, departure in session.execute(
        select(Label, Shipment, Departure)
        .join(Shipment, Shipment.id == Label.shipment_id)
        .join(Departure, Departure.id == Label.departure_id)
    ):
        assert departure.carrier == shipment.carrier, label.tracking_number
        assert departure.day >= shipment.ship_date, f"{label.tracking_number} leaves before its day"
        sold = shipment.state not in {"buying", "failed"}
        assert (label.tracking_number is not None) == sold, f"{label.tracking_number}: {shipment.state}"


VIEWS: dict[str, Callable[[Order], bool]] = {
    "open": lambda o: o.state == "open",
    "clear": lambda o: o.state == "open" and o.snag_level != "stops",
    "snags": lambda o: o.state == "open" and o.snag_level != "",
    "held": lambda o: o.state in {"held", "left_out"},
    "shipped": lambda o: o.state in {"shipped", "part_shipped"},
    "all": lambda _: True,
}


def _every_order_is_in_its_views(session: Session, orders: dict[int, Order]) -> None:
    counts = view_counts(session)
    for view, belongs in VIEWS.items():
        page = list_orders(session, WorkFilter(view=view), limit=300)
        mine = {o.id for o in orders.values() if belongs(o)}
        assert ({o.id for o in page.orders}, page.matching, counts[view]) == (mine, len(mine), len(mine)), view


def _plans_follow_from_what_is_there(walk: Walk, session: Session, orders: dict[int, Order]) -> None:
    """Planned once more, nothing is another: whatever was done has reached the plan, or marked it as out of date."""
    now = walk.clock()
    due = [o for o in orders.values() if is_waiting(o) and not (o.good_until and o.good_until < now)]
    before = {o.id: (o.service, o.price_minor, o.ship_date, o.snag_level, o.plan.packaging) for o in due}
    plan_orders(session, due, now)
    for order in due:
        after = (order.service, order.price_minor, order.ship_date, order.snag_level, order.plan.packaging)
        assert after == before[order.id], f"{order.number} was planned otherwise"
    session.rollback()


@pytest.mark.long("seventy deeds of a day, all rooms compared after each")
@pytest.mark.slow("seventy deeds, all rooms compared after each")
@pytest.mark.parametrize("seed", seeds(1, 12))
def test_whatever_is_done_the_rooms_agree(wiring: Wiring, world: World, clock: Clock, seed: int) -> None:
    walk = Walk(wiring, world, clock, seed)
    as_it_should_be(walk)
    for _ in range(STEPS):
        walk.step()
        try:
            as_it_should_be(walk)
        except AssertionError as wrong:
            raise AssertionError(f"{wrong}; after {'; '.join(walk.done[-8:])}") from wrong
    for _ in range(6):
        clock.move(minutes=20)
        swept(walk)
        voids_settled(walk)
        as_it_should_be(walk)
    for carrier in ("norvia", "brightmile"):
        _both_books_say_the_same(wiring, world, carrier)


def _both_books_say_the_same(wiring: Wiring, world: World, carrier: str) -> None:
    with wiring.sessions() as session:
        mine = session.scalars(select(Shipment).where(Shipment.carrier == carrier)).all()
        charged = session.scalar(
            select(func.coalesce(func.sum(LedgerLine.amount_minor), 0))
            .join(LedgerEntry)
            .join(Shipment, Shipment.id == LedgerEntry.shipment_id)
            .where(LedgerLine.account == "postage", Shipment.carrier == carrier)
        )
    theirs = {b["key"]: b["price_minor"] for b in world.book(carrier) if not b["cancelled"]}
    asked = {s.idempotency_key for s in mine if s.state == "void_asked"}
    ours = {s.idempotency_key: s.price_minor for s in mine if s.state in {"bought", "void_refused"}}
    assert {key: price for key, price in theirs.items() if key not in asked} == ours
    assert charged == sum(ours.values()), "what is asked back stands under refunds, not under postage"
