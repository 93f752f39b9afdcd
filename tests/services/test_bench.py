"""The bench: orders opened by a scan, every mistake stopped, labels bought once and printed, nothing lost."""

from __future__ import annotations

import io
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime

import pypdfium2
import pytest
import zxingcpp
from PIL import Image
from sqlalchemy import func, select, text, update

from tests.conftest import Clock
from tests.services.steps import ask, buy, clear_orders, ids_of
from tidewind.core.bench.codes import Action, Code, CodeKind, read_code
from tidewind.core.bench.weighing import Reading
from tidewind.db.tables import (
    Bench,
    BenchScan,
    Difference,
    Order,
    PackagingRow,
    Packing,
    Person,
    PrintJob,
    Product,
    RecipeRow,
    SerialNumber,
    Shipment,
)
from tidewind.services.base import Conflict, Invalid
from tidewind.services.bench import (
    BenchSettings,
    BenchView,
    code_sheet,
    finish_packings,
    get_photo,
    keep_photo,
    look_at_bench,
    packed_by_person,
    scan_at_bench,
    see_bench,
    set_bench_settings,
    weigh_at_bench,
)
from tidewind.services.buying import ask_void
from tidewind.services.handover import alert_counts
from tidewind.services.orders import find_orders, set_held
from tidewind.services.people import Who, make_badge
from tidewind.services.shop import (
    edit_products,
    in_stock,
    order_packaging,
    packaging_arrived,
    packaging_orders,
    set_stock,
    settle_packaging_orders,
)
from tidewind.standins import carriers
from tidewind.standins.world import World
from tidewind.web.access import Wiring


def do(action: Action) -> str:
    return Code(CodeKind.ACTION, action.value).payload


def who_is(wiring: Wiring, login: str = "tome") -> Who:
    with wiring.sessions() as session:
        person = session.scalars(select(Person).where(Person.login == login)).one()
        return Who(person.id, person.name, person.role, "")


def scan(wiring: Wiring, *codes: str, at: str = "Bench 1", login: str = "tome") -> BenchView:
    """Scan codes one after the other, each in a transaction of its own; return what the bench shows then."""
    who = who_is(wiring, login)
    for code in codes:
        with wiring.sessions.begin() as session:
            view = scan_at_bench(session, at, code, who, wiring.clock())
    return view


def said(view: BenchView) -> tuple[str, str]:
    return view.said["kind"], view.said["word"]


def order_with(wiring: Wiring, carrier: str = "brightmile", skip: int = 0) -> Order:
    """Return an order that can be bought, of one parcel, whose goods all have barcodes and no serial numbers."""
    with wiring.sessions() as session:
        plain = {p.sku for p in session.scalars(select(Product)) if p.barcode and not p.serial and not p.parts}
        found = [
            o
            for o in clear_orders(session, carrier, 200)
            if len(o.plan.parcels) == 1 and all(line.sku in plain for line in o.lines)
        ]
        return found[skip]


def several_of_one(wiring: Wiring) -> Order:
    """Return an order with the most pieces of one article."""
    every = (order_with(wiring, skip=n) for n in range(12))
    return max(every, key=lambda order: max(line.quantity for line in order.lines))


def goods(wiring: Wiring, order: Order) -> list[str]:
    """Return the barcodes of an order's goods, each as often as it is wanted."""
    with wiring.sessions() as session:
        codes = dict(session.execute(select(Product.sku, Product.barcode)).all())
        lines = session.get_one(Order, order.id).lines
        return [codes[line.sku] for line in lines for _ in range(line.quantity)]


def bought(wiring: Wiring, order: Order) -> Shipment:
    ids = ids_of(wiring, ask(wiring, [order], key=f"bought-{order.id}").batch_id)
    assert [buy(wiring, one) for one in ids] == ["bought"]
    with wiring.sessions() as session:
        return session.get_one(Shipment, ids[0])


def jobs(wiring: Wiring) -> list[str]:
    with wiring.sessions() as session:
        return list(session.scalars(select(PrintJob.client_key).order_by(PrintJob.id)))


def finished(wiring: Wiring, packing_id: int) -> str:
    """Buy what the bench has asked for, as the worker does, and go on."""
    with wiring.sessions() as session:
        shipment_id = session.get_one(Packing, packing_id).shipment_id
    assert shipment_id is not None
    assert buy(wiring, shipment_id) == "bought"
    return finish_packings(wiring.sessions, wiring.clock)[packing_id]


def test_a_label_that_was_bought_before_prints_after_the_last_item(wiring: Wiring) -> None:
    order = order_with(wiring)
    shipment = bought(wiring, order)
    view = scan(wiring, shipment.labels[0].tracking_number or "")
    assert (view.phase, said(view)) == ("items", ("right", "Pack it"))
    assert view.facts is not None
    assert view.facts.labelled
    *first, last = goods(wiring, order)
    view = scan(wiring, *first) if first else view
    assert jobs(wiring) == []
    view = scan(wiring, last)
    assert (view.phase, said(view)) == ("await", ("right", "Done"))
    assert jobs(wiring) == [f"pack-{_packing(wiring, order).id}"]
    again = scan(wiring, order.number)
    assert said(again) == ("wrong", "Stop")
    assert "packed already by Tomé Brisson" in again.said["words"]
    with wiring.sessions.begin() as session:
        ask_void(session, [shipment.id], "Inês", True, wiring.clock())
    assert said(scan(wiring, order.number)) == ("right", "Pack it")  # its label is worth nothing any more


def test_an_order_that_is_changed_while_it_is_packed_stops_at_the_next_scan(wiring: Wiring) -> None:
    order = order_with(wiring)
    bought(wiring, order)
    *first, last = goods(wiring, order)
    scan(wiring, order.number, *first)
    with wiring.sessions.begin() as session:
        row = Difference(
            order_id=order.id, at=wiring.clock(), kind="cancelled", changes=[], upstream={}, state="waiting"
        )
        session.add(row)
    view = scan(wiring, last)
    assert (view.said["kind"], jobs(wiring)) == ("wrong", [])
    assert (
        "The channel cancelled this order after it was imported. Scan Skip, or have somebody decide"
        in view.said["words"]
    )


def _packing(wiring: Wiring, order: Order) -> Packing:
    with wiring.sessions() as session:
        return session.scalars(select(Packing).where(Packing.order_id == order.id).order_by(Packing.id.desc())).first()  # type: ignore[return-value]


def test_a_label_is_bought_at_the_last_item_and_undone_with_its_money(wiring: Wiring) -> None:
    order = order_with(wiring)
    view = scan(wiring, order.number, *goods(wiring, order))
    assert (view.phase, said(view)) == ("buying", ("right", "All in"))  # done is what has its label
    assert said(scan(wiring, "anything")) == ("wrong", "Wrong item")
    packing = _packing(wiring, order)
    assert finished(wiring, packing.id) == "packed"
    assert finish_packings(wiring.sessions, wiring.clock) == {}
    assert jobs(wiring) == [f"pack-{packing.id}"]
    with wiring.sessions.begin() as session:
        bench = look_at_bench(session, "Bench 1", who_is(wiring), wiring.clock())
        assert bench.packing_id is None
    view = scan(wiring, do(Action.UNDO), do(Action.UNDO))  # it asks first
    assert "voided: take it off the parcel" in view.said["words"]
    with wiring.sessions() as session:
        assert session.get_one(Shipment, packing.shipment_id).state == "void_asked"
        assert session.get_one(Order, order.id).state == "open"
    assert said(scan(wiring, order.number)) == ("right", "Pack it")  # and it can be packed again


def test_a_purchase_that_fails_leaves_everything_scanned(wiring: Wiring) -> None:
    order = order_with(wiring)
    view = scan(wiring, order.number, *goods(wiring, order))
    with wiring.sessions.begin() as session:
        shipment = session.scalars(select(Shipment).where(Shipment.order_id == order.id)).one()
        session.execute(update(Shipment).where(Shipment.id == shipment.id).values(service="gone"))
    with wiring.sessions() as session:
        failed = session.scalars(select(Shipment.id).where(Shipment.order_id == order.id)).one()
    assert buy(wiring, failed) == "failed"
    assert finish_packings(wiring.sessions, wiring.clock) == {_packing(wiring, order).id: "open"}
    with wiring.sessions.begin() as session:
        view = look_at_bench(session, "Bench 1", who_is(wiring), wiring.clock())
    assert (view.phase, view.said["word"]) == ("stopped", "No label")
    assert all(line.counted == line.pieces for line in view.lines)
    view = scan(wiring, do(Action.BUY_AND_PRINT))
    assert view.phase == "buying"
    assert finished(wiring, _packing(wiring, order).id) == "packed"


def test_labels_that_are_waited_for_at_several_benches_are_looked_for_by_one_job(wiring: Wiring) -> None:
    for n, order in enumerate([order_with(wiring, skip=n) for n in range(3)]):
        assert scan(wiring, order.number, *goods(wiring, order), at=f"Bench {n}").phase == "buying"
    waits = text("select count(*) from procrastinate_jobs where task_name = 'finish_packings' and status = 'todo'")
    done = text("update procrastinate_jobs set status = 'succeeded' where task_name = 'finish_packings'")
    with wiring.sessions.begin() as session:
        assert session.scalar(waits) == 3  # each in its own transaction, which nobody else sees yet
        session.execute(done)
    for _ in range(4):
        finish_packings(wiring.sessions, wiring.clock)
        with wiring.sessions() as session:
            assert session.scalar(waits) == 1


def test_what_must_not_be_packed_stops_loudly(wiring: Wiring) -> None:
    held, changed, elsewhere, other = (order_with(wiring, skip=n) for n in range(4))
    with wiring.sessions.begin() as session:
        set_held(session, [held.id], True, "Inês", wiring.clock())
        row = Difference(
            order_id=changed.id, at=wiring.clock(), kind="content", changes=[], upstream={}, state="waiting"
        )
        session.add(row)
    scan(wiring, elsewhere.number, at="Bench 2", login="ines")
    stops = (
        ("NO-SUCH-ORDER", ("wrong", "Unknown"), "no order and no label"),
        ("\x1b ", ("wrong", "Nothing"), "read nothing"),
        (held.number, ("wrong", "Stop"), "is held"),
        (changed.number, ("wrong", "Stop"), "The channel changed this order after it was imported"),
        (elsewhere.number, ("wrong", "Stop"), "being packed at Bench 2 by Inês Valadar"),
        (do(Action.BUY_AND_PRINT), ("wrong", "No order yet"), "scan a packing slip"),
    )
    for code, verdict, words in stops:
        view = scan(wiring, code)
        assert (said(view), view.phase) == (verdict, "await")
        assert words in view.said["words"]
    scan(wiring, other.number)
    strange = next(code for code in ("2000000041377", "2000000041742") if code not in goods(wiring, other))
    for code, word, words in (
        (elsewhere.number, "Another order", "is another order"),
        (strange, "Wrong item", "(shelf A"),
        ("4006381333931", "Wrong item", "is unknown"),
        (do(Action.BUY_ONLY), "Not yet", "still missing"),
    ):
        view = scan(wiring, code)
        assert said(view) == ("wrong", word)
        assert words in view.said["words"]
    assert view.mistakes_today == 4
    with wiring.sessions() as session:
        assert session.scalar(select(func.count(BenchScan.id)).where(BenchScan.verdict == "wrong")) == 10


def test_two_benches_at_once_never_pack_one_order(wiring: Wiring) -> None:
    order = order_with(wiring)
    with ThreadPoolExecutor(4) as threads:
        views = list(threads.map(lambda n: scan(wiring, order.number, at=f"Bench {n}"), range(4)))
    assert sorted(view.phase for view in views) == ["await", "await", "await", "items"]


def test_benches_that_open_and_skip_the_same_orders_at_once_leave_each_at_one(wiring: Wiring) -> None:
    codes = [order_with(wiring, skip=n).number for n in range(2)]

    def shift(n: int) -> set[str]:
        """Open, count, put away, and open the other one, at a bench of one's own."""
        words = set()
        for turn in range(12):
            number = codes[(n + turn) % 2]
            for code in (number, "none of it", do(Action.SKIP)):
                words.add(scan(wiring, code, at=f"Bench {n}").said["word"])
        return words

    with ThreadPoolExecutor(4) as four:
        words = set().union(*four.map(shift, range(4)))
    assert {"Pack it", "Skipped"} <= words <= {"Pack it", "Stop", "Unknown", "Wrong item", "Skipped", "No order yet"}
    with wiring.sessions() as session:
        assert {state for (state,) in session.execute(select(Packing.state))} == {"left"}
        assert session.scalar(select(func.count(Packing.id))) == len(codes)
        assert set(session.scalars(select(Bench.packing_id))) == {None}
        stopped = select(func.count(BenchScan.id)).where(BenchScan.verdict == "wrong", BenchScan.code == "none of it")
        stopped = stopped.where(BenchScan.packing_id.is_not(None))
        assert session.scalar(select(func.sum(Packing.mistakes))) == session.scalar(stopped) > 0


def test_an_order_that_was_left_at_one_bench_goes_on_at_another(wiring: Wiring) -> None:
    order = several_of_one(wiring)
    code = max(set(goods(wiring, order)), key=goods(wiring, order).count)
    scan(wiring, order.number, code, "none of it", do(Action.SKIP))
    view = scan(wiring, f" {order.number.lower()} ", at="Bench 2")
    assert said(view) == ("right", "Pack it")
    assert view.said["words"] == f"{order.number}, 1 scanned before"
    assert sum(line.counted for line in view.lines) == 1
    assert scan(wiring, do(Action.HELP), at="Bench 2").mistakes_today == 1
    assert said(scan(wiring, order.number)) == ("wrong", "Stop")


def test_a_scan_that_is_sent_again_counts_once_however_many_come_at_once(wiring: Wiring) -> None:
    order, who = several_of_one(wiring), who_is(wiring)
    codes = sorted(goods(wiring, order), key=goods(wiring, order).count)  # the last item's twin would be one too many
    sent = [(order.number, "open-it"), *((code, f"item-{n}") for n, code in enumerate(codes)), ("nonsense", "nonsense")]
    together = []
    for code, key in sent:

        def take(_: int, code: str = code, key: str = key) -> BenchView:
            with wiring.sessions.begin() as session:
                return scan_at_bench(session, "Bench 1", code, who, wiring.clock(), key)

        with ThreadPoolExecutor(8) as eight:
            views = list(eight.map(take, range(8)))
        together.append({(view.phase, sum(line.counted for line in view.lines)) for view in views})
        assert all(said(view) == said(views[0]) for view in views)
    pieces = len(codes)
    assert together == [
        {("items", 0)},
        *({("items", n)} for n in range(1, pieces)),
        {("buying", pieces)},
        {("buying", pieces)},
    ]
    with wiring.sessions() as session:
        kept = session.execute(select(BenchScan.client_key, BenchScan.verdict).order_by(BenchScan.id)).all()
        assert [tuple(row) for row in kept] == [*((key, "right") for _, key in sent[:-1]), ("nonsense", "wrong")]
        assert session.scalars(select(Packing.mistakes)).all() == [1]
        assert session.scalar(select(func.count(Shipment.id)).where(Shipment.order_id == order.id)) == 1


def test_pieces_that_are_scanned_at_once_are_all_counted(wiring: Wiring) -> None:
    order, who = several_of_one(wiring), who_is(wiring)
    codes = goods(wiring, order)
    code = max(codes, key=codes.count)
    scan(wiring, order.number, *(one for one in codes if one != code))

    def take(n: int) -> None:
        with wiring.sessions.begin() as session:
            scan_at_bench(session, "Bench 1", code, who, wiring.clock(), f"piece-{n}")

    with ThreadPoolExecutor(6) as six:
        list(six.map(take, range(codes.count(code) - 1)))
    with wiring.sessions() as session:
        seen = see_bench(session, "Bench 1", who, wiring.clock())
        assert sum(line.counted for line in seen.lines) == len(codes) - 1


def test_serial_numbers_sets_and_things_without_a_barcode(wiring: Wiring) -> None:
    order = order_with(wiring)
    sku = goods_skus(wiring, order)[0]
    with wiring.sessions.begin() as session:
        edit_products(session, [sku], {"serial": True}, wiring.clock())
    codes = goods(wiring, order)
    mine = [code for code in codes if code == codes[0]]
    view = scan(wiring, order.number, mine[0])
    assert view.phase == "serial"
    view = scan(wiring, do(Action.SKIP))  # left in the middle, and taken up again with what was scanned
    assert view.phase == "await"
    view = scan(wiring, order.number)
    assert view.phase == "serial"
    for n in range(len(mine)):
        view = scan(wiring, *([mine[0]] if n else []), f"SER-{n}")
        assert view.said["kind"] == "right"
    rest = [code for code in codes if code != codes[0]]
    view = scan(wiring, *rest) if rest else view
    assert view.phase == "buying"
    assert finished(wiring, _packing(wiring, order).id) == "packed"
    with wiring.sessions() as session:
        kept = session.scalars(select(SerialNumber.number).order_by(SerialNumber.number)).all()
        assert kept == [f"SER-{n}" for n in range(len(mine))]
        assert [found.id for found in find_orders(session, "ser-0")] == [order.id]


def goods_skus(wiring: Wiring, order: Order) -> list[str]:
    with wiring.sessions() as session:
        return [line.sku for line in session.get_one(Order, order.id).lines]


def test_a_set_is_packed_by_its_parts(wiring: Wiring) -> None:
    order = order_with(wiring)
    with wiring.sessions.begin() as session:
        sku = goods_skus(wiring, order)[0]
        edit_products(session, [sku], {"parts": ["2x TR-01", "HF-01"]}, wiring.clock())
        pieces = session.get_one(Order, order.id).lines[0].quantity
    view = scan(wiring, order.number)
    found = {line.sku: line.pieces for line in view.lines}
    assert (found["TR-01"], found["HF-01"]) == (2 * pieces, pieces)
    assert sku not in found


@pytest.mark.parametrize("action", [Action.SEND_PART, Action.HOLD])
def test_what_is_not_there_is_sent_later_or_held_with_a_reason(wiring: Wiring, action: Action) -> None:
    order = next(o for o in (order_with(wiring, skip=n) for n in range(12)) if len(set(goods(wiring, o))) > 1)
    first, *_ = goods(wiring, order)
    view = scan(wiring, order.number, *[code for code in goods(wiring, order) if code == first])
    assert said(scan(wiring, do(action)))[0] == "note"
    view = scan(wiring, Code(CodeKind.WHY, "MISSING").payload)
    with wiring.sessions() as session:
        mine = session.get_one(Order, order.id)
        if action is Action.HOLD:
            assert (mine.state, view.phase) == ("held", "await")
            assert "not on the shelf" in view.said["words"]
        else:
            assert session.scalars(select(Order.number).where(Order.part_of == order.id)).one() in view.said["words"]
            assert view.phase in ("buying", "stopped")


def test_the_scale_stops_what_is_too_light_and_several_pieces_go_by_one_scan(wiring: Wiring) -> None:
    order = order_with(wiring)
    who = who_is(wiring)
    with wiring.sessions.begin() as session:
        set_bench_settings(session, BenchSettings(weighs=True, scale_address="ws://127.0.0.1:8765"))
        with pytest.raises(Invalid, match="own machine"):
            set_bench_settings(session, BenchSettings(scale_address="ws://scale.example:80"))
    codes = goods(wiring, order)
    scan(wiring, order.number)
    for code in dict.fromkeys(codes):
        view = scan(wiring, Code(CodeKind.PIECES, str(codes.count(code))).payload, code)
    assert view.phase == "weigh"
    assert view.scale is not None
    assert said(scan(wiring, do(Action.BUY_AND_PRINT))) == ("wrong", "Not yet")
    weights = ((None, "Scale"), (Reading(900, stable=False), "Scale"), (Reading(view.scale.expected_g - 200), "Weight"))
    for reading, word in weights:
        with wiring.sessions.begin() as session:
            assert weigh_at_bench(session, "Bench 1", reading, who, wiring.clock()).said["word"] == word
    with wiring.sessions.begin() as session:
        heavier = view.scale.expected_g + view.scale.tolerance_g
        bench = weigh_at_bench(session, "Bench 1", Reading(heavier), who, wiring.clock())
        after = session.get_one(Order, order.id)
        assert after.plan.parcels[0].gross_g == heavier
        dearer = (after.price_minor or 0) > (order.price_minor or 0)
        assert bench.said["word"] == ("Dearer" if dearer else "All in")
    view = scan(wiring, do(Action.BUY_AND_PRINT)) if dearer else view
    with wiring.sessions() as session:
        assert session.scalars(select(Packing.state)).one() == "buying"
        bought_for = session.scalars(select(Shipment.price_minor).where(Shipment.order_id == order.id)).one()
        assert bought_for == session.get_one(Order, order.id).price_minor


def test_a_badge_says_who_packs_and_gives_no_right(wiring: Wiring) -> None:
    order = order_with(wiring)
    shipment = bought(wiring, order)
    with wiring.sessions.begin() as session:
        ines = session.scalars(select(Person).where(Person.login == "ines")).one()
        _, first = make_badge(session, ines.id)
        _, secret = make_badge(session, ines.id)
    assert said(scan(wiring, Code(CodeKind.BADGE, first).payload)) == ("wrong", "Unknown badge")
    view = scan(wiring, Code(CodeKind.BADGE, secret.lower()).payload)
    assert view.packer == "Inês Valadar"
    scan(wiring, shipment.labels[0].tracking_number or "", *goods(wiring, order))
    with wiring.sessions() as session:
        assert [(row.person, row.parcels) for row in packed_by_person(session, 1, wiring.clock())] == [
            ("Inês Valadar", 1)
        ]


def test_photos_are_written_anew_and_what_is_none_is_refused(wiring: Wiring) -> None:
    order = order_with(wiring)
    scan(wiring, order.number)
    picture, out = Image.new("RGB", (3000, 1500), "#884422"), io.BytesIO()
    exif = Image.Exif()
    exif[0x010F] = "A camera that tells"
    picture.save(out, "JPEG", exif=exif)
    with wiring.sessions.begin() as session:
        packing_id = session.scalars(select(Bench.packing_id)).one()
        photo = keep_photo(session, packing_id or 0, out.getvalue(), who_is(wiring).id, wiring.clock())
        kept = get_photo(session, photo.id)
        assert b"A camera that tells" not in kept.picture
        assert Image.open(io.BytesIO(kept.picture)).size == (2000, 1000)
        assert max(Image.open(io.BytesIO(kept.small)).size) == 320
        for data in (b"", b"%PDF-1.4", b"<svg/>", out.getvalue()[:200]):
            with pytest.raises(Invalid, match="no PNG"):
                keep_photo(session, packing_id or 0, data, 1, wiring.clock())


def test_a_bench_goes_on_where_it_was_after_a_reload(wiring: Wiring, clock: Clock) -> None:
    order = next(o for o in (order_with(wiring, skip=n) for n in range(12)) if len(goods(wiring, o)) > 1)
    clock.at = datetime(2026, 11, 24, 9, 0, tzinfo=UTC)
    before = scan(wiring, order.number, goods(wiring, order)[0])
    with wiring.sessions.begin() as session:
        after = see_bench(session, " Bench  1", who_is(wiring), clock())
    assert (after.lines, after.said, after.headline) == (before.lines, before.said, before.headline)


def test_boxes_are_counted_down_as_labels_are_bought_and_up_as_they_are_voided(wiring: Wiring) -> None:
    order = next(o for o in (order_with(wiring, skip=n) for n in range(12)) if o.plan.parcels[0].packaging)
    with wiring.sessions.begin() as session:
        row = session.scalars(select(PackagingRow).where(PackagingRow.code == order.plan.parcels[0].packaging)).one()
        set_stock(session, row.id, 3, 2)
    shipment = bought(wiring, order)
    with wiring.sessions.begin() as session:
        found = in_stock(session, wiring.clock())
        assert [(one.code, one.stock, one.low) for one in found] == [(row.code, 2, True)]
        assert alert_counts(session, wiring.clock())["packaging_low"] == 1
        ask_void(session, [shipment.id], "Inês", True, wiring.clock())
        session.flush()
        session.expire_all()
        assert in_stock(session, wiring.clock())[0].stock == 3
        with pytest.raises(Invalid, match="a million"):
            set_stock(session, row.id, -1, 0)


def test_every_code_of_the_sheets_scans_and_is_understood(wiring: Wiring) -> None:
    with wiring.sessions.begin() as session:
        found = {what: _read(code_sheet(session, what, wiring.clock())) for what in ("actions", "recipes", "boxes")}
        with pytest.raises(Invalid, match="Sheets that there are"):
            code_sheet(session, "nothing", wiring.clock())
    for scanned in found.values():
        assert scanned
        assert all(read_code(code) is not None for code in scanned), scanned
    assert {do(action) for action in Action} <= set(found["actions"])
    assert all(code.startswith("RECIPE-") for code in found["recipes"])  # as every other page understands them


def _read(pdf: bytes) -> list[str]:
    """Read every barcode of a paper as a scanner at 203 dpi would."""
    pages = [page.render(scale=203 / 72).to_pil() for page in pypdfium2.PdfDocument(pdf)]
    return [barcode.text for page in pages for barcode in zxingcpp.read_barcodes(page)]


@pytest.mark.impatient
def test_carriers_boxes_are_ordered_once_and_counted_in_as_they_come(
    wiring: Wiring, clock: Clock, world: World, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(carriers, "HANG_SECONDS", 2.5)
    with wiring.sessions.begin() as session:
        box = session.scalars(select(PackagingRow).where(PackagingRow.code == "NB-S")).one()
        box.stock = 3
        order_packaging(session, "norvia", {"NB-S": 50, "NB-M": 0}, "one-press", "Tomé", clock())
        order_packaging(session, "norvia", {"NB-S": 50}, "one-press", "Tomé", clock())
        for carrier, pieces, words in (
            ("brightmile", {"NB-S": 1}, "sends no packaging"),
            ("norvia", {"CB-M": 1}, "own packaging"),
            ("norvia", {"NB-S": 0}, "own packaging"),
        ):
            with pytest.raises((Conflict, Invalid), match=words):
                order_packaging(session, carrier, pieces, f"other-{words}", "Tomé", clock())
    world.set_fault("norvia", "timeout_after_work", 1)
    assert list(settle_packaging_orders(wiring.sessions, wiring.outside, clock).values()) == ["asked"]  # no answer came
    clock.move(minutes=1)
    assert list(settle_packaging_orders(wiring.sessions, wiring.outside, clock).values()) == ["confirmed"]
    assert len(world.rows("select * from packaging_order")) == 1
    with wiring.sessions.begin() as session:
        (row,) = packaging_orders(session)
        assert (row.confirmation[:3], row.arrives is not None) == ("NP-", True)
        packaging_arrived(session, row.id)
    with wiring.sessions.begin() as session:
        assert session.scalars(select(PackagingRow.stock).where(PackagingRow.code == "NB-S")).one() == 53
        with pytest.raises(Conflict):
            packaging_arrived(session, row.id)  # it comes once
        order_packaging(session, "norvia", {"NB-S": 501}, "too-many", "Tomé", clock())
    assert list(settle_packaging_orders(wiring.sessions, wiring.outside, clock).values()) == ["refused"]


def test_box_and_recipe_are_changed_by_a_code_until_the_label_is_bought(wiring: Wiring) -> None:
    order = order_with(wiring)
    first, *rest = goods(wiring, order)
    with wiring.sessions() as session:
        recipe = session.scalars(select(RecipeRow).where(RecipeRow.service == "np-economy")).one()
        box = session.scalars(select(PackagingRow).where(PackagingRow.code == "CTN-XL")).one()
    view = scan(wiring, order.number, first)
    for kind, value, word, words in (
        (CodeKind.BOX, "NO-SUCH", "Stop", "There is no packaging NO-SUCH."),
        (CodeKind.RECIPE, "no-such", "Stop", "There is no recipe no-such."),
        (CodeKind.BOX, "ENV-S", "Stop", "That does not go"),
        (CodeKind.BOX, "CTN-XL", "Changed", box.name),
        (CodeKind.RECIPE, recipe.code, "Changed", recipe.name),
    ):
        view = scan(wiring, Code(kind, value).payload)
        assert (view.said["word"], sum(line.counted for line in view.lines)) == (word, 1), view.said
        assert words in view.said["words"]
        with wiring.sessions() as session:
            now = session.get_one(Order, order.id)
            assert now.plan.parcels[0].packaging == ("CTN-XL" if word == "Changed" else order.plan.parcels[0].packaging)
    assert now.service == recipe.service
    assert view.facts is not None
    assert view.facts.boxes == (box.name,)
    view = scan(wiring, *rest)
    assert finished(wiring, _packing(wiring, order).id) == "packed"
    paid = order_with(wiring, skip=1)
    bought(wiring, paid)
    scan(wiring, paid.number)
    for code, words in (
        (Code(CodeKind.BOX, "CTN-XL"), "its box and service stay. Void the label first"),
        (Code(CodeKind.RECIPE, recipe.code), "its box and service stay"),
    ):
        assert words in scan(wiring, code.payload).said["words"]
    for action, words in ((Action.HOLD, "cannot be held"), (Action.SEND_PART, "must be packed whole")):
        scan(wiring, do(action))
        assert words in scan(wiring, Code(CodeKind.WHY, "DAMAGED").payload).said["words"]


def test_what_is_undone_step_by_step_and_what_cannot_be(wiring: Wiring, clock: Clock) -> None:
    order = several_of_one(wiring)
    codes = sorted(goods(wiring, order), key=goods(wiring, order).count, reverse=True)
    assert "Nothing was packed here today" in scan(wiring, do(Action.UNDO)).said["words"]
    scan(wiring, order.number, codes[0], codes[0])
    for left in (1, 0):
        view = scan(wiring, do(Action.UNDO))
        assert (said(view), sum(line.counted for line in view.lines)) == (("note", "Undone"), left)
    view = scan(wiring, do(Action.UNDO))
    assert (view.phase, view.said["words"]) == ("await", f"{order.number} was put back")
    assert _packing(wiring, order).state == "undone"
    view = scan(wiring, order.number)
    assert (view.phase, sum(line.counted for line in view.lines)) == ("items", 0)
    for code, word, words in (
        (Code(CodeKind.WHY, "MISSING"), "Not now", "a reason follows"),
        (Code(CodeKind.PIECES, "0"), "How many?", "between 1 and 500"),
        (Code(CodeKind.PIECES, "501"), "How many?", "between 1 and 500"),
        (Code(CodeKind.PIECES, "two"), "How many?", "between 1 and 500"),
        (Code(CodeKind.ACTION, "DANCE"), "Unknown code", "no code sheet of now has “DANCE”"),
    ):
        view = scan(wiring, code.payload)
        assert said(view) == ("wrong", word)
        assert words in view.said["words"]
    assert (view.mistakes_today, view.phase) == (5, "items")
    scan(wiring, do(Action.SEND_PART))
    assert "Scan what is here first" in scan(wiring, Code(CodeKind.WHY, "WAITS").payload).said["words"]
    for action, act in ((Action.WEIGH, "weigh"), (Action.PHOTO, "photo"), (Action.HELP, "help")):
        assert scan(wiring, do(action)).said["act"] == act
    scan(wiring, *codes)
    assert finished(wiring, _packing(wiring, order).id) == "packed"
    clock.move(days=1)
    assert "Nothing was packed here today" in scan(wiring, do(Action.UNDO)).said["words"]


def test_a_label_can_be_bought_and_not_printed_and_a_weight_taken_as_it_is(wiring: Wiring) -> None:
    order, who = order_with(wiring), who_is(wiring)
    with wiring.sessions.begin() as session:
        set_bench_settings(session, BenchSettings(weighs=True))
        view = weigh_at_bench(session, "Bench 1", Reading(500), who, wiring.clock())
    assert said(view) == ("wrong", "No order yet")
    scan(wiring, order.number)
    with wiring.sessions.begin() as session:
        assert said(weigh_at_bench(session, "Bench 1", Reading(500), who, wiring.clock())) == ("wrong", "Not yet")
    view = scan(wiring, *goods(wiring, order))
    assert (view.phase, view.scale is not None) == ("weigh", True)
    assert view.scale is not None
    grams = view.scale.expected_g - view.scale.tolerance_g - 1
    with wiring.sessions.begin() as session:
        assert weigh_at_bench(session, "Bench 1", Reading(grams), who, wiring.clock()).said["grams"] == str(grams)
    view = scan(wiring, do(Action.CONFIRM))
    assert (view.weights_g, view.phase) == ((grams,), "buying")
    packing = _packing(wiring, order)
    assert finished(wiring, packing.id) == "packed"
    other = order_with(wiring, skip=1)
    bought(wiring, other)
    with wiring.sessions.begin() as session:
        set_bench_settings(session, BenchSettings(weighs=False))
    last = goods(wiring, other)[-1]
    scan(wiring, other.number, *goods(wiring, other)[:-1])
    assert said(scan(wiring, do(Action.BUY_ONLY))) == ("wrong", "Not yet")
    with wiring.sessions.begin() as session:
        session.execute(update(Packing).where(Packing.order_id == other.id).values(prints=False))
    view = scan(wiring, last)
    assert view.said["words"].endswith("No label was printed, as you said")
    assert jobs(wiring) == [f"pack-{packing.id}"]
