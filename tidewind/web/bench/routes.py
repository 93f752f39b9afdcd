"""Scans, weights and pictures of the packing bench, its code sheets and badges, and who packed how much."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal

from fastapi import APIRouter, Path, Query, Response, UploadFile

from tidewind.services.base import NotFound
from tidewind.services.bench import (
    BenchView,
    badge_sheet,
    bench_settings,
    code_sheet,
    get_photo,
    keep_photo,
    locked_bench,
    look_at_bench,
    packed_by_person,
    packing_for_photo,
    photos_in,
    photos_of,
    scan_at_bench,
    see_bench,
    set_bench_settings,
    weigh_at_bench,
)
from tidewind.web.access import Anyone, Bench, Now, Owner, Parts, Tx
from tidewind.web.bench.schemas import (
    BenchOut,
    BenchScanIn,
    BenchSettingsIO,
    PackedByOut,
    PhotoOut,
    WeightIn,
)
from tidewind.web.files import PDF, answers_with, uploaded

router = APIRouter(prefix="/api", tags=["bench"])
MOST_PHOTO_BYTES = 12_000_000
Name = Annotated[str, Path(min_length=1, max_length=40)]


def _seen(view: BenchView, parts: Parts) -> BenchOut:
    seen = BenchOut.model_validate(view)
    standins = parts.settings.standins_url.replace("http", "ws", 1)
    seen.settings.scale_address = seen.settings.scale_address.replace("{standins}", standins)
    return seen


@router.get("/benches/{name}")
def bench(name: Name, who: Bench, session: Tx, now: Now, parts: Parts) -> BenchOut:
    """Return what a bench shows: one that has just been reloaded goes on where it was."""
    return _seen(see_bench(session, name, who, now), parts)


@router.post("/benches/{name}/scan")
def scan(name: Name, body: BenchScanIn, who: Bench, session: Tx, now: Now, parts: Parts) -> BenchOut:
    """Take a scan; what is wrong with it is said in the answer, and nothing is lost."""
    return _seen(scan_at_bench(session, name, body.code, who, now, body.client_key), parts)


@router.post("/benches/{name}/weigh")
def weigh(name: Name, body: WeightIn, who: Bench, session: Tx, now: Now, parts: Parts) -> BenchOut:
    """Take what the scale shows for the parcel that is on it."""
    return _seen(weigh_at_bench(session, name, body.reading, who, now), parts)


@router.post("/benches/{name}/look")
def look(name: Name, who: Bench, session: Tx, now: Now, parts: Parts) -> BenchOut:
    """Look what became of the label that is being bought at a bench."""
    return _seen(look_at_bench(session, name, who, now), parts)


@router.post("/benches/{name}/photos", status_code=201)
def take_photo(
    name: Name, file: UploadFile, who: Bench, session: Tx, now: Now, packing: Annotated[int | None, Query(ge=1)] = None
) -> PhotoOut:
    """Keep a picture of the parcel that is named, else of the one on a bench, or of the one packed last there."""
    packing_id = packing_for_photo(session, locked_bench(session, name, who.id, now).bench, packing)
    if packing_id is None:
        raise NotFound("no_parcel", "Nothing was packed at this bench yet.")
    _, data = uploaded(file, MOST_PHOTO_BYTES)
    return PhotoOut.model_validate(keep_photo(session, packing_id, data, who.id, now))


@router.get("/orders/{order_id}/photos")
def order_photos(order_id: int, _who: Anyone, session: Tx) -> list[PhotoOut]:
    """Return which pictures there are of an order's parcels."""
    return [PhotoOut.model_validate(photo) for photo in photos_of(session, order_id=order_id)]


@router.get("/departures/photos")
def departure_photos(carrier: str, network: str, day: date, _who: Anyone, session: Tx) -> list[PhotoOut]:
    """Return which pictures there are of the parcels of a departure."""
    return [PhotoOut.model_validate(photo) for photo in photos_in(session, carrier, network, day)]


@router.get("/photos/{photo_id}", **answers_with("image/jpeg"))
def photo(photo_id: int, _who: Anyone, session: Tx, size: Literal["full", "small"] = "full") -> Response:
    """Return a picture of a parcel, or a small one of it."""
    row = get_photo(session, photo_id)
    data = row.small if size == "small" else row.picture
    return Response(data, media_type="image/jpeg", headers={"Cache-Control": "private, max-age=86400"})


@router.get("/code-sheets/{what}.pdf", **answers_with(PDF))
def sheet(what: str, _who: Bench, session: Tx, now: Now) -> Response:
    """Return a code sheet for the bench: actions, amounts, recipes or boxes."""
    return _pdf(code_sheet(session, what, now), f"codes-{what}")


@router.post("/people/{person_id}/badge.pdf", **answers_with(PDF))
def badge(person_id: int, _who: Owner, session: Tx) -> Response:
    """Make somebody a badge for the bench; one made before is worth nothing from now on."""
    return _pdf(badge_sheet(session, person_id), "badge")


def _pdf(data: bytes, name: str) -> Response:
    headers = {"Content-Disposition": f'inline; filename="{name}.pdf"', "Cache-Control": "no-store"}
    return Response(data, media_type="application/pdf", headers=headers)


@router.get("/bench/settings")
def settings(_who: Bench, session: Tx) -> BenchSettingsIO:
    """Return how the shop packs: whether it weighs, its tolerance, its scale."""
    return BenchSettingsIO.model_validate(bench_settings(session))


@router.put("/bench/settings")
def change_settings(body: BenchSettingsIO, _who: Owner, session: Tx) -> BenchSettingsIO:
    """Change how the shop packs."""
    return BenchSettingsIO.model_validate(set_bench_settings(session, body.settings))


@router.get("/bench/packed")
def packed(_who: Owner, session: Tx, now: Now, days: Annotated[int, Query(ge=1, le=90)] = 14) -> list[PackedByOut]:
    """Return how many parcels each person packed on each of the last days, and how many mistakes were stopped."""
    return [PackedByOut.model_validate(row) for row in packed_by_person(session, days, now)]
