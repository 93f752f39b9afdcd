"""Following from end to end: the last days' parcels at the carriers, what is wrong with which, and what is done."""

from __future__ import annotations

import json
import statistics
from dataclasses import replace
from datetime import timedelta
from zoneinfo import ZoneInfo

import httpx
import pytest
from sqlalchemy import delete, func, select

from tests.conftest import Clock
from tests.services.steps import ask, buy, clear_orders, ids_of
from tidewind.core.tracking.states import TrackingState
from tidewind.core.tracking.usual import working_tenths
from tidewind.db.tables import (
    CarrierNotice,
    CarrierRow,
    DropOffPointRow,
    FollowedNumber,
    Label,
    Message,
    Order,
    OrderChange,
    ParcelDeed,
    Shipment,
    TrackingEvent,
)
from tidewind.demo.history import load_history
from tidewind.outside.carrier import CarrierEvent
from tidewind.services.base import Conflict, Invalid, NotAllowed, NotFound
from tidewind.services.follow import (
    NumberToFollow,
    ask_carrier,
    erase_person,
    explain_code,
    follow_number,
    follow_parcels,
    followed_numbers,
    following,
    letter_to_buyer,
    look_at_followed,
    personal_data,
    see_to,
    send_due_news,
    subscribe_carriers,
    take_carrier_notice,
    take_events,
    take_notices,
    tell_buyer,
    unfollow,
    unknown_codes,
    work_out,
)
from tidewind.settings import DEMO_PASSWORD, real_now
from tidewind.standins import ways
from tidewind.standins.notices import signed
from tidewind.standins.world import World
from tidewind.web.access import Wiring

LISBON = ZoneInfo("Europe/Lisbon")


def wrong(wiring: Wiring) -> dict[str, list[int]]:
    """Return the shipments that need somebody, by what is wrong."""
    found: dict[str, list[int]] = {}
    with wiring.sessions() as session:
        for parcel in following(session, wiring.clock()).troubles:
            assert parcel.trouble
            found.setdefault(parcel.trouble.kind, []).append(parcel.shipment_id)
    return found


@pytest.fixture
def under_way(wiring: Wiring, clock: Clock) -> Wiring:
    load_history(wiring.sessions, clock(), days=40, most_a_day=12, standins_url=wiring.settings.standins_url)
    return wiring


def test_the_last_days_are_on_their_way_and_polling_says_the_same(under_way: Wiring, clock: Clock) -> None:
    before = wrong(under_way)
    assert {"lost", "stuck", "waiting", "returning", "late"} <= before.keys()
    with under_way.sessions() as session:
        seen = following(session, clock())
        assert seen.under_way == sum(len(band.parcels) for band in seen.bands) > 20
        travelling = session.scalar(select(func.count()).where(Shipment.next_look_at.is_not(None)))
        events = session.scalar(select(func.count(TrackingEvent.id)))
    assert follow_parcels(under_way.sessions, under_way.outside, clock, limit=500) == travelling
    assert wrong(under_way) == before  # what the carriers say is what was loaded
    with under_way.sessions() as session:
        assert session.scalar(select(func.count(TrackingEvent.id))) == events
    clock.move(days=1)
    follow_parcels(under_way.sessions, under_way.outside, clock, limit=500)
    with under_way.sessions() as session:
        assert session.scalar(select(func.count(TrackingEvent.id))) > events
    clock.move(days=4)
    follow_parcels(under_way.sessions, under_way.outside, clock, limit=500)
    with under_way.sessions() as session:
        late = [session.get_one(Shipment, one).tracking_state for one in before["late"]]
    assert "delivered" in late  # they come in the end


def test_the_own_record_is_what_its_rows_say(under_way: Wiring, clock: Clock) -> None:
    """Worked out again, parcel by parcel, from the events themselves."""
    with under_way.sessions() as session:
        record = work_out(session, clock(), LISBON)
        took: dict[tuple[str, str], list[int]] = {}
        rows = session.execute(
            select(Label, Shipment, Order)
            .join(Shipment, Shipment.id == Label.shipment_id)
            .join(Order, Order.id == Shipment.order_id)
            .where(Label.tracking_state == "delivered")
        )
        for label, shipment, order in rows:
            at = {
                e.state: e.at for e in session.scalars(select(TrackingEvent).where(TrackingEvent.label_id == label.id))
            }
            ends = tuple(sorted({shipment.sender.country, shipment.address.country}))
            tenths = working_tenths(at["accepted"], at["delivered"], LISBON, ends)
            took.setdefault((shipment.service, order.destination), []).append(tenths)
    assert record.keys() == {key for key, values in took.items() if len(values) >= 30} != set()
    for key, found in record.items():
        assert found.parcels == len(took[key])
        assert found.median == statistics.median_low(took[key])
        assert sum(t <= found.nine_in_ten for t in took[key]) >= 0.9 * len(took[key])
        assert sum(t < found.nine_in_ten for t in took[key]) < 0.9 * len(took[key])


def test_a_buyer_is_told_once_in_their_language_and_the_carrier_is_asked_with_all_facts(
    under_way: Wiring, clock: Clock
) -> None:
    stuck = wrong(under_way)["stuck"][0]
    with under_way.sessions.begin() as session:
        shipment = session.get_one(Shipment, stuck)
        number, order_id = shipment.labels[0].tracking_number, shipment.order_id
        letter = letter_to_buyer(session, stuck, "http://shop.test", clock())
        assert (letter.language, letter.to) == ("pt", shipment.address.email)
        assert f"http://shop.test/t/{shipment.tracking_key}" in letter.body
        assert "{" not in letter.subject + letter.body
        assert tell_buyer(session, under_way.outside, stuck, "Rute", clock()).body == letter.body
        with pytest.raises(Conflict, match="told of this already"):
            tell_buyer(session, under_way.outside, stuck, "Tomé", clock())
        ask_carrier(session, under_way.outside, stuck, "help@norvia.example", "Rute", clock())
    assert send_due_news(under_way.sessions, under_way.outside, clock) == 1
    mails = httpx.get(f"{under_way.settings.standins_url}/mail/all").json()
    asked = next(mail for mail in mails if "help@norvia.example" in str(mail))
    assert number in asked["body"]
    theirs, ours = asked["body"].split("— English —")
    assert ("Dias úteis sem notícia" in theirs, "Working days without news" in ours) == (True, True)
    assert asked["subject"].startswith("Onde está a encomenda")
    with under_way.sessions.begin() as session:
        deeds = session.scalars(select(ParcelDeed.kind).order_by(ParcelDeed.id)).all()
        assert deeds == ["told_buyer", "asked_carrier"]
        said = session.scalars(select(OrderChange.what).where(OrderChange.order_id == order_id)).all()
        assert any(line.startswith("told the buyer") for line in said)
        shown = personal_data(session, letter.to)["parcels_seen_to"]
        assert [(one["what"], number in one["words"]) for one in shown] == [
            ("told_buyer", False),
            ("asked_carrier", True),
        ]
        see_to(session, stuck, "They found it", "Rute", clock())
        with pytest.raises(NotFound):
            see_to(session, 10**9, "x", "Rute", clock())
    assert stuck not in wrong(under_way).get("stuck", [])
    clock.move(days=3)
    with under_way.sessions.begin() as session:  # something new is heard, and then nothing again
        shipment = session.get_one(Shipment, stuck)
        scan = CarrierEvent(clock() - timedelta(hours=1), TrackingState.MOVING, "Sorted", "Porto", id="n")
        take_events(session, shipment, {shipment.labels[0].id: [scan]}, "http://shop", clock())
    clock.move(days=20)
    assert stuck in wrong(under_way)["stuck"]
    with under_way.sessions.begin() as session:
        session.execute(delete(Message))
        shipment = session.get_one(Shipment, stuck)
        shipment.address = replace(shipment.address, email="")
    with under_way.sessions.begin() as session, pytest.raises(Conflict, match="No mail address"):
        tell_buyer(session, under_way.outside, stuck, "Rute", clock())
    with under_way.sessions.begin() as session:
        session.get_one(Shipment, stuck).tracking_state = "delivered"  # till then it is needed
        session.flush()
        erase_person(session, letter.to, "Inês", clock())
        left = session.execute(select(ParcelDeed.words, ParcelDeed.mail_to).order_by(ParcelDeed.id)).all()
        assert left == [("", "erased"), ("", "help@norvia.example"), ("", "")]


def test_a_dead_carrier_delays_only_its_own_and_an_unknown_code_is_kept(
    wiring: Wiring, clock: Clock, world: World
) -> None:
    with wiring.sessions() as session:
        orders = [*clear_orders(session, "brightmile", 3), *clear_orders(session, "norvia", 2)]
    assert {buy(wiring, one) for one in ids_of(wiring, ask(wiring, orders).batch_id)} == {"bought"}
    with wiring.sessions.begin() as session:
        row = session.scalars(select(CarrierRow).where(CarrierRow.code == "norvia")).one()
        row.states = {code: state for code, state in row.states.items() if code != "N20"}
    world.set_fault("brightmile", "down", 99)
    clock.move(days=1)
    assert follow_parcels(wiring.sessions, wiring.outside, clock) == 5
    with wiring.sessions() as session:
        states = {s.order_id: s.tracking_state for s in session.scalars(select(Shipment))}
        assert [states[o.id] for o in orders] == ["announced"] * 3 + ["accepted"] * 2
        unknown = session.scalars(select(TrackingEvent.code).where(TrackingEvent.state == "")).all()
        assert set(unknown) == {"N20"}  # nobody has said what it means: kept, and shown to nobody
    with wiring.sessions.begin() as session:
        (code,) = unknown_codes(session)
        said_of = select(func.count(Label.id)).join(Shipment, Shipment.id == Label.shipment_id)
        parcels = session.scalar(said_of.where(Shipment.carrier == "norvia"))
        assert (code.carrier, code.code, code.parcels) == ("norvia", "N20", parcels)
        for meaning in ("gone", "moving:refused", ""):
            with pytest.raises(Invalid):
                explain_code(session, "norvia", "N20", meaning, "http://shop", clock())
        assert explain_code(session, "norvia", "N20", "moving", "http://shop", clock()) == 2
    with wiring.sessions() as session:
        states = {s.order_id: s.tracking_state for s in session.scalars(select(Shipment))}
        assert [states[o.id] for o in orders] == ["announced"] * 3 + ["moving"] * 2
        assert unknown_codes(session) == []
    world.set_fault("brightmile", "down", 0)
    clock.move(minutes=11)
    follow_parcels(wiring.sessions, wiring.outside, clock)
    with wiring.sessions() as session:
        assert "announced" not in {s.tracking_state for s in session.scalars(select(Shipment))}


def test_the_buyers_page_needs_no_script_and_tells_no_more_than_it_must(
    under_way: Wiring, base_url: str, clock: Clock
) -> None:
    found = wrong(under_way)
    with under_way.sessions() as session:
        shipment = session.get_one(Shipment, found["waiting"][0])
        key, to = shipment.tracking_key, shipment.address
    page = httpx.get(f"{base_url}/t/{key}")
    assert page.status_code == 200
    assert "Pronta a levantar" in page.text
    assert "Prevista" not in page.text  # no day is told that is over
    assert "<script" not in page.text
    assert 'content="noindex"' in page.text
    assert page.headers["Cache-Control"] == "no-store"
    for secret in (to.street, to.postcode, to.email, to.name.split(" ")[1]):
        assert secret not in page.text
    assert "Waiting to be collected" in httpx.get(f"{base_url}/t/{key}?lang=en").text
    assert "Liegt zur Abholung bereit" in httpx.get(f"{base_url}/t/{key}?lang=de").text
    assert 'lang="pt"' in httpx.get(f"{base_url}/t/{key}?lang=<b>").text
    assert "wartet auf Sie" not in httpx.get(f"{base_url}/t/{key}?lang=de").text  # it was sent to no point
    with under_way.sessions.begin() as session:
        shipment = session.get_one(Shipment, found["waiting"][0])
        session.add(
            DropOffPointRow(
                carrier=shipment.carrier,
                code="<i>7",
                name="Café <b>Sol</b>",
                kind="counter",
                street="Rua 7",
                postcode="3500-108",
                city="Viseu",
                country="PT",
                hours="Mo-Fr 09:00-19:00",
                heaviest_g=0,
                longest_mm=0,
                full=False,
                learned_from="file",
                learned_at=clock(),
            )
        )
        shipment.order.hand = replace(shipment.order.hand, point="<i>7")
    there = httpx.get(f"{base_url}/t/{key}?lang=de").text
    assert "Es wartet auf Sie bei <b>Café &lt;b&gt;Sol&lt;/b&gt;</b><br>Rua 7, 3500-108 Viseu" in there
    assert "<small>Mo – Fr: 09:00 – 19:00<br>" in there
    gone = httpx.get(f"{base_url}/t/{key[1:]}", headers={"Accept-Language": "fr-FR"})
    assert (gone.status_code, "Il n’y a pas de colis" in gone.text) == (404, True)


def test_views_are_ones_own_and_each_list_has_its_own(base_url: str) -> None:
    with httpx.Client(base_url=base_url) as ines, httpx.Client(base_url=base_url) as rute:
        for client, login in ((ines, "ines"), (rute, "rute")):
            client.post("/api/sign-in", json={"login": login, "password": DEMO_PASSWORD}).raise_for_status()
            client.headers["X-CSRF-Token"] = client.get("/api/me").json()["csrf_token"]
        asks = {"trouble": "stuck", "carrier": "norvia"}
        made = ines.post("/api/following/views", json={"name": "Silent", "asks": asks}).raise_for_status().json()
        assert made["asks"] == {"trouble": "stuck", "carrier": "norvia", "country": "", "words": ""}
        ines.post("/api/views", json={"name": "Silent", "asks": {"country": "PT"}}).raise_for_status()
        assert [v["asks"] for v in ines.get("/api/views").json()] == [{"country": "PT"}]
        assert [v["id"] for v in ines.get("/api/following/views").json()] == [made["id"]]
        assert rute.get("/api/following/views").json() == []
        assert rute.delete(f"/api/views/{made['id']}").status_code == 404
        assert ines.post("/api/following/views", json={"name": "x", "asks": {"colour": "red"}}).status_code == 422
        assert ines.delete(f"/api/views/{made['id']}").status_code == 204
        assert ines.get("/api/following/views").json() == []


def tell(wiring: Wiring, events: list[dict[str, object]], key: str = "norvia-key", given: str | None = None) -> str:
    """Let the carrier tell events by itself."""
    body = json.dumps({"events": events})
    headers = signed(key, body, wiring.clock(), given)
    with wiring.sessions.begin() as session:
        return take_carrier_notice(
            session.connection(), wiring.outside, "norvia", headers, body.encode(), wiring.clock()
        )


def test_what_a_carrier_tells_by_itself_is_taken_once_in_any_order_and_only_when_signed(
    under_way: Wiring, clock: Clock
) -> None:
    with under_way.sessions() as session:
        mine = select(Label).join(Shipment).where(Shipment.carrier == "norvia", Label.tracking_state == "moving")
        label = session.scalars(mine.limit(1)).one()
        states = session.scalars(select(CarrierRow.states).where(CarrierRow.code == "norvia")).one()
    code = next(told_as for told_as, meant in states.items() if meant == "delivered")
    told = {"at": clock().isoformat(), "code": code, "words": "Given to a neighbour", "number": label.tracking_number}
    for events, key in (([told], "another-key"), ([told], "")):
        with pytest.raises(NotAllowed):
            tell(under_way, events, key)
    never = (b"NaN", b'"\\u0000"', b'"\\ud800"', b"1e999", b"{}," * 1_000 + b"{}")
    for body in (b"", b"[]", b"{" * 5_000, b'{"events": 7}', *(b'{"events": [%b]}' % one for one in never)):
        headers = signed("norvia-key", body.decode(), clock())
        with under_way.sessions.begin() as session, pytest.raises(Invalid):
            take_carrier_notice(session.connection(), under_way.outside, "norvia", headers, body, clock())
    nonsense = [told | {"at": "yesterday"}, told | {"number": "NOT-OURS"}, {"number": 7}, "x", None]
    assert tell(under_way, [*nonsense, told, told], given="one") == "taken"
    assert tell(under_way, [told], given="one") == "heard before"
    assert tell(under_way, [told], given="two") == "taken"
    assert take_notices(under_way.sessions, under_way.outside, clock) == 2
    assert take_notices(under_way.sessions, under_way.outside, clock) == 0
    with under_way.sessions() as session:
        assert session.get_one(Label, label.id).tracking_state == "delivered"
        words = select(TrackingEvent.words).where(TrackingEvent.label_id == label.id)
        assert session.scalars(words).all().count("Given to a neighbour") == 1
        assert session.scalars(select(CarrierNotice.failure).order_by(CarrierNotice.id)).all() == [
            "4 events make no sense",
            "",
        ]


def test_carriers_that_can_are_asked_to_tell_and_do(under_way: Wiring, world: World, clock: Clock) -> None:
    assert subscribe_carriers(under_way.sessions, under_way.outside) == 4
    assert subscribe_carriers(under_way.sessions, under_way.outside) == 0
    heard: list[str] = []
    clock.move(hours=30)

    def take(url: str, **sent: object) -> httpx.Response:
        code = url.rpartition("/")[2]
        with under_way.sessions.begin() as session:
            body, headers = str(sent["content"]).encode(), sent["headers"]
            heard.append(take_carrier_notice(session.connection(), under_way.outside, code, headers, body, real_now()))  # type: ignore[arg-type]
        return httpx.Response(200)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(ways.httpx, "post", take)
        assert ways.tell_events(world) > 0
        assert ways.tell_events(world) == 0  # and not again
    assert set(heard) == {"taken"}
    events = select(func.count(TrackingEvent.id))
    with under_way.sessions() as session:
        before = session.scalar(events) or 0
    assert take_notices(under_way.sessions, under_way.outside, clock) == len(heard)
    with under_way.sessions() as session:
        told = session.scalar(events) or 0
        assert told > before
        assert not session.scalars(select(CarrierNotice.failure).where(CarrierNotice.failure != "")).all()
    follow_parcels(under_way.sessions, under_way.outside, clock)
    with under_way.sessions() as session:
        assert session.scalar(events) == told  # who is asked says the same again


def test_any_number_is_followed_and_whoever_waits_is_told_once_of_each_thing(
    under_way: Wiring, world: World, clock: Clock
) -> None:
    coming = "select number from told_event where carrier = 'norvia' and stage = 'delivered' and at > ? limit 1"
    number = world.rows(coming, clock().isoformat())[0]["number"]
    with under_way.sessions.begin() as session:
        for wrong in ("", "ab", "12345;drop", "x" * 41):
            with pytest.raises(Invalid):
                follow_number(session, NumberToFollow("norvia", wrong), "Rute", clock())
        with pytest.raises(Invalid):
            follow_number(session, NumberToFollow("norvia", "ABCD1", tell_mail="lia@"), "Rute", clock())
        with pytest.raises(NotFound):
            follow_number(session, NumberToFollow("nobody", "ABCD1"), "Rute", clock())
        wanted = NumberToFollow("norvia", number.lower(), "Seed\ndrawers", "lia@larkspur.example")
        follow_number(session, wanted, "Rute", clock())
        follow_number(session, NumberToFollow("norvia", "UNKNOWN1"), "Rute", clock())
    with under_way.sessions.begin() as session, pytest.raises(Conflict):
        follow_number(session, wanted, "Rute", clock())
    world.set_fault("norvia", "down", 1)
    assert look_at_followed(under_way.sessions, under_way.outside, clock) == 2
    assert look_at_followed(under_way.sessions, under_way.outside, clock) == 0  # left alone for ten minutes
    for _ in range(40):
        clock.move(hours=6)
        look_at_followed(under_way.sessions, under_way.outside, clock)
    with under_way.sessions() as session:
        mine, none = sorted(followed_numbers(session), key=lambda row: row.id)
        assert (mine.state, mine.next_look_at, mine.told) == ("delivered", None, "delivered")
        assert none.failure == "its carrier does not know this number"
    mails = httpx.get(f"{under_way.settings.standins_url}/mail/all").json()
    told = [m["subject"] for m in mails if m["recipient"] == "lia@larkspur.example"]
    assert set(told) == {"News of Seed drawers"}
    assert 1 <= len(told) <= 2  # with the driver, if that was seen, and delivered
    clock.move(days=61)
    look_at_followed(under_way.sessions, under_way.outside, clock)
    with under_way.sessions.begin() as session:
        none = session.get_one(FollowedNumber, none.id)
        assert none.next_look_at is None  # given up
        unfollow(session, none.id)
        session.flush()
        with pytest.raises(NotFound):
            unfollow(session, none.id)
