"""The Tracking page: what is under way against what is usual, what needs somebody, and what is done about it."""

from __future__ import annotations

from fastapi import APIRouter

from tidewind.services.follow import (
    MEANINGS,
    ask_carrier,
    explain_code,
    following,
    letter_to_buyer,
    letter_to_carrier,
    see_to,
    story_of,
    tell_buyer,
    unknown_codes,
    way_of_order,
)
from tidewind.services.orders import save_view, saved_views
from tidewind.web.access import Anyone, Care, Now, Owner, Parts, Tx
from tidewind.web.base.schemas import CountOut
from tidewind.web.follow.following_schemas import (
    AskCarrierIn,
    CodesOut,
    ExplainIn,
    FollowingOut,
    FollowingViewIn,
    FollowingViewOut,
    LetterOut,
    SeeToIn,
    StoryOut,
    UnknownCodeOut,
    WayOut,
)

router = APIRouter(prefix="/api", tags=["following"])
PAGE = "tracking"


@router.get("/following")
def under_way(_who: Anyone, session: Tx, now: Now) -> FollowingOut:
    """Return the parcels under way by service and destination, and those that need somebody, the worst first."""
    return FollowingOut.model_validate(following(session, now))


@router.get("/following/views")
def following_views(who: Anyone, session: Tx) -> list[FollowingViewOut]:
    """Return one's own saved views of what is under way."""
    return [FollowingViewOut.model_validate(view) for view in saved_views(session, who.id, PAGE)]


@router.post("/following/views")
def save_following_view(body: FollowingViewIn, who: Anyone, session: Tx) -> FollowingViewOut:
    """Save what is looked at under a name; the same name replaces it.  Removed as views of orders are."""
    kept = body.asks.model_dump(exclude_defaults=True)
    return FollowingViewOut.model_validate(save_view(session, who.id, body.name, kept, PAGE))


@router.get("/following/codes")
def codes(_who: Anyone, session: Tx) -> CodesOut:
    """Return the codes of carriers that nobody has explained, and everything that one can mean."""
    return CodesOut(unknown=[UnknownCodeOut.model_validate(c) for c in unknown_codes(session)], meanings=list(MEANINGS))


@router.put("/following/codes")
def explain(body: ExplainIn, _who: Owner, session: Tx, parts: Parts, now: Now) -> CountOut:
    """Say what a carrier's code means; the parcels it was said of stand where their events say then."""
    there = parts.outside.base_url
    return CountOut(count=explain_code(session, body.carrier, body.code, body.meaning, there, now))


@router.get("/orders/{order_id}/story")
def story(order_id: int, _who: Anyone, session: Tx, parts: Parts, now: Now) -> StoryOut:
    """Return where an order is: everything that happened to it, and an answer to its buyer in their language."""
    return StoryOut.model_validate(story_of(session, order_id, parts.outside.base_url, now))


@router.get("/orders/{order_id}/way")
def way(order_id: int, _who: Anyone, session: Tx) -> WayOut | None:
    """Return the way of what was last sent of an order, to be drawn; none where no two places of it are known."""
    made = way_of_order(session, order_id)
    return WayOut.model_validate(made) if made else None


@router.get("/following/{shipment_id}/buyer")
def to_buyer(shipment_id: int, _who: Care, parts: Parts, session: Tx, now: Now) -> LetterOut:
    """Return what the buyer would be told."""
    return LetterOut.model_validate(letter_to_buyer(session, shipment_id, parts.outside.base_url, now))


@router.post("/following/{shipment_id}/buyer")
def tell(shipment_id: int, who: Care, parts: Parts, session: Tx, now: Now) -> LetterOut:
    """Tell the buyer what is wrong, once for each cause."""
    return LetterOut.model_validate(tell_buyer(session, parts.outside, shipment_id, who.name, now))


@router.get("/following/{shipment_id}/carrier")
def to_carrier(shipment_id: int, _who: Care, session: Tx, now: Now) -> LetterOut:
    """Return what the carrier would be asked."""
    return LetterOut.model_validate(letter_to_carrier(session, shipment_id, now))


@router.post("/following/{shipment_id}/carrier")
def ask(shipment_id: int, body: AskCarrierIn, who: Care, parts: Parts, session: Tx, now: Now) -> LetterOut:
    """Ask the carrier by mail where a parcel is."""
    return LetterOut.model_validate(ask_carrier(session, parts.outside, shipment_id, body.mail_to, who.name, now))


@router.post("/following/{shipment_id}/seen-to", status_code=204)
def seen_to(shipment_id: int, body: SeeToIn, who: Care, session: Tx, now: Now) -> None:
    """Write down that it is seen to, and how."""
    see_to(session, shipment_id, body.words, who.name, now)
