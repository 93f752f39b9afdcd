"""Six sample orders for a shop that has none yet: brought in like any file, and taken back like any import."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.quantities import amount_text
from tidewind.db.tables import Import
from tidewind.outside.sheets_out import to_csv
from tidewind.services.base import Conflict
from tidewind.services.orders.importing import run_import, upload_file
from tidewind.services.planning import default_place, shop_settings

FILE = "sample-orders.csv"
_HEAD = ("order number", "name", "street", "city", "region", "postcode", "country", "sku", "item name", "quantity",
         "unit price", "weight")  # fmt: skip
_GOODS = (
    ("S-MUG", "Mug, stoneware", 420, 1),
    ("S-TEA", "Tea, 100 g", 130, 2),
    ("S-POT", "Teapot", 1_150, 1),
    ("S-CUP", "Cup, set of four", 1_600, 1),
    ("S-TIN", "Tea tin", 240, 3),
    ("S-TRAY", "Tray, oak", 980, 1),
)
_NAMES = ("Ana Sample", "Ben Sample", "Cleo Sample", "Dan Sample", "Eva Sample", "Finn Sample")


def bring_samples(session: Session, person_id: int, now: datetime) -> Import:
    """Bring six orders in, addressed to the town of the default place, so that any carrier from there prices them.

    Raises Conflict without a place, or while samples are there already.
    """
    place = default_place(session).address
    if samples_there(session) is not None:
        raise Conflict("samples_there", "The six sample orders are here already.")
    made = upload_file(session, FILE, to_csv(_HEAD, _rows(place, shop_settings(session).currency)), person_id)
    return run_import(session, made.id, now)


def _rows(place: Address, currency: str) -> list[list[object]]:
    return [
        [f"SAMPLE-{n}", name, f"{place.street.rstrip('0123456789 ')} {n}", place.city, place.region, place.postcode,
         place.country, sku, goods, pieces, amount_text(1_200, currency), f"{grams} g"]
        for n, (name, (sku, goods, grams, pieces)) in enumerate(zip(_NAMES, _GOODS, strict=True), 1)
    ]  # fmt: skip


def samples_there(session: Session) -> int | None:
    """Return the import that the sample orders came by, None where there are none."""
    here = select(Import.id).where(Import.file_name == FILE, Import.state == "done", Import.made > 0)
    return session.scalar(here.order_by(Import.id.desc()).limit(1))
