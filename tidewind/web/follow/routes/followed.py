"""Any number that is followed: parcels to us, and those that were bought elsewhere."""

from __future__ import annotations

from fastapi import APIRouter

from tidewind.db.tables import FollowedNumber
from tidewind.services.follow import NumberToFollow, follow_number, followed_numbers, unfollow
from tidewind.web.access import Anyone, Care, Now, Tx
from tidewind.web.follow.following_schemas import FollowedEventOut, FollowedOut, FollowNumberIn

router = APIRouter(prefix="/api", tags=["following"])


@router.get("/followed")
def followed(_who: Anyone, session: Tx) -> list[FollowedOut]:
    """Return the parcels that are followed though we did not send them, those under way first."""
    return [_out(row) for row in followed_numbers(session)]


@router.post("/followed", status_code=201)
def follow(body: FollowNumberIn, who: Care, session: Tx, now: Now) -> FollowedOut:
    """Follow a number from now on."""
    wanted = NumberToFollow(body.carrier, body.number, body.what, body.tell_mail.strip())
    return _out(follow_number(session, wanted, who.name, now))


@router.delete("/followed/{followed_id}", status_code=204)
def let_be(followed_id: int, _who: Care, session: Tx) -> None:
    """Follow a number no more."""
    unfollow(session, followed_id)


def _out(row: FollowedNumber) -> FollowedOut:
    said = {name: getattr(row, name) for name in FollowedOut.model_fields if name not in {"events", "over"}}
    events = [FollowedEventOut(at=e["at"], words=e["words"], spot=e["spot"]) for e in reversed(row.events)]
    return FollowedOut(**said, over=row.next_look_at is None, events=events)
