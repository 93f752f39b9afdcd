"""Pickups: asked for, cancelled, chased; standing ones; and the calendar they are read in."""

from __future__ import annotations

from collections.abc import Sequence

from fastapi import APIRouter, Response

from tidewind.core.states.pickups import PickupState
from tidewind.db.tables import Pickup
from tidewind.documents.calendar_file import CalendarEntry, calendar_file
from tidewind.services.handover import (
    StandingWish,
    answer_missed,
    ask_for_pickups,
    calendar_key,
    cancel_pickup,
    chase_pickup,
    chase_text,
    end_standing,
    newest_pickups,
    pickup_by_calendar_key,
    set_standing,
    shop_calendar,
    standing_pickups,
)
from tidewind.services.planning import shop_settings
from tidewind.services.shop import carrier_name
from tidewind.web.access import Anyone, Now, Parts, Shipper, Tx
from tidewind.web.base.schemas import CountOut
from tidewind.web.files import answers_with
from tidewind.web.handover.schemas.pickups import (
    AnswerIn,
    ChaseOut,
    ChasePickupIn,
    PickupOut,
    PickupsAskedOut,
    PickupsIn,
    PickupsOut,
    StandingIO,
    StandingOut,
)

router = APIRouter(prefix="/api", tags=["handing over"])
public = APIRouter(prefix="/api", tags=["public"])
ICS = "text/calendar"


@router.get("/pickups")
def pickups(_who: Anyone, session: Tx) -> PickupsOut:
    """Return the pickups that were asked for last, the newest first, and those that are asked for by themselves."""
    return PickupsOut(
        pickups=[PickupOut.of(row) for row in newest_pickups(session)],
        standing=[StandingOut.model_validate(row) for row in standing_pickups(session)],
    )


@router.post("/pickups")
def ask(body: PickupsIn, who: Shipper, session: Tx, now: Now) -> PickupsAskedOut:
    """Ask for vans, one for each departure named; what cannot be asked for is said with its reason."""
    done = ask_for_pickups(session, [wish.wish for wish in body.wishes], who.name, now)
    return PickupsAskedOut(
        asked=[PickupOut.of(row) for row in done.asked],
        dropped=[f"{carrier_name(session, key.carrier)}: {why}" for key, why in done.dropped.items()],
    )


@router.post("/pickups/{pickup_id}/cancel")
def cancel(pickup_id: int, who: Shipper, session: Tx, now: Now) -> PickupOut:
    """Ask the carrier to take a pickup back; its fee comes back with the carrier's yes."""
    return PickupOut.of(cancel_pickup(session, pickup_id, who.name, now))


@router.get("/pickups/{pickup_id}/chase")
def chase_words(pickup_id: int, _who: Shipper, session: Tx) -> ChaseOut:
    """Return the words by which a carrier is pressed about a van that did not come."""
    pickup = next((row for row in newest_pickups(session, 500) if row.id == pickup_id), None)
    return ChaseOut(text=chase_text(session, pickup) if pickup else "")


@router.post("/pickups/{pickup_id}/chase")
def chase(pickup_id: int, body: ChasePickupIn, who: Shipper, session: Tx, parts: Parts, now: Now) -> PickupOut:
    """Press the carrier by mail about a van that did not come."""
    return PickupOut.of(chase_pickup(session, parts.outside, pickup_id, body.mail_to, who.name, now))


@router.post("/pickups/{pickup_id}/answer")
def answer(pickup_id: int, body: AnswerIn, who: Shipper, session: Tx, now: Now) -> PickupOut:
    """Write down what the carrier answered about a missed van."""
    return PickupOut.of(answer_missed(session, pickup_id, body.words, body.came, who.name, now))


@router.put("/standing-pickups")
def stand(body: StandingIO, who: Shipper, session: Tx, now: Now) -> StandingOut:
    """Let a network's van be asked for by itself on some days of the week, or change or pause that."""
    wish = StandingWish(frozenset(body.weekdays), body.start_time, body.until_time, body.paused)
    return StandingOut.model_validate(set_standing(session, body.carrier, body.network, wish, who.name, now))


@router.delete("/standing-pickups/{standing_id}")
def stop_standing(standing_id: int, _who: Shipper, session: Tx) -> CountOut:
    """Let a van no longer be asked for by itself; what is booked stays booked."""
    end_standing(session, standing_id)
    return CountOut(count=1)


@router.post("/pickups/calendar")
def calendar_address(_who: Shipper, session: Tx, parts: Parts) -> ChaseOut:
    """Return the address of the calendar that a calendar program subscribes to; it is made at need."""
    return ChaseOut(text=f"{parts.outside.base_url}/api/calendar/{calendar_key(session)}.ics")


@public.get("/pickups/{key}.ics", **answers_with(ICS))
def one_in_calendar(key: str, session: Tx) -> Response:
    """Return one pickup as a calendar file, by its unguessable key."""
    return _calendar(session, [pickup_by_calendar_key(session, key)])


@public.get("/calendar/{key}.ics", **answers_with(ICS))
def all_in_calendar(key: str, session: Tx, now: Now) -> Response:
    """Return the pickups of a fortnight and those to come, by the unguessable key of the shop's calendar."""
    return _calendar(session, shop_calendar(session, key, now))


def _calendar(session: Tx, rows: Sequence[Pickup]) -> Response:
    entries = [_entry(row, carrier_name(session, row.departure.carrier)) for row in rows]
    data = calendar_file(entries, f"{shop_settings(session).brand}: pickups")
    return Response(data, media_type=ICS, headers={"Cache-Control": "no-store"})


def _entry(row: Pickup, carrier: str) -> CalendarEntry:
    to = row.address
    return CalendarEntry(
        uid=f"{row.calendar_key}@tidewind",
        stamped_at=row.settled_at or row.asked_at,
        starts_at=row.begins_at,
        ends_at=row.ends_at,
        title=f"{carrier} fetches {row.parcels} parcels",
        where=", ".join(part for part in (to.street, f"{to.postcode} {to.city}".strip(), row.spot) if part),
        words=f"Confirmation {row.confirmation or 'to come'}. {row.note}".strip(),
        cancelled=row.state in (PickupState.CANCELLED, PickupState.REFUSED),
        tentative=row.state == PickupState.ASKED,
    )
