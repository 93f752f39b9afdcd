"""The made-up orders that wait in the two marketplaces on the first day, in the markets' own ways of writing."""

from __future__ import annotations

import csv
from collections.abc import Iterator
from datetime import datetime, timedelta
from importlib import resources
from typing import Any

from tidewind.core.addresses.countries import country_name
from tidewind.core.calendar import add_working_days

# ruff: noqa: E501 - one order a line
# number | name | bill to | street | city | postcode | country | promise | days | items | stage | money
_TALLYFAIR = """
TF-7301|Matilde Seixas||Rua do Pinheiro 5|Coimbra|3000-310|PT|Dispatch within 24 h|2|TW-1*1,SC-BEE*2|to_dispatch|settled
TF-7302|Gaspar Lousada||Travessa do Rio 18|Lisboa|1100-340|PT|Dispatch within 24 h|2|HF-02*1|to_dispatch|settled
TF-7303|Renske Dijkhuis||Kastanjelaan 9|Utrecht|3512 AB|NL|Tracked abroad, 6 days|6|SC-MDW*3|to_dispatch|settled
TF-7304|Abílio Torrado||Rua da Praia 2|Faro|8000-120|PT|Dispatch within 24 h|2|GG-M*1|awaiting_payment|pending
TF-7305|Otília Camacho||Rua do Cais 12|Horta|9900-014|PT|Islands, 5 days|5|ST-BEE*2|to_dispatch|cash_on_delivery
"""
_OVENBIRD = """
OB-90117|Viktor Halvorsen Quade|Viktor Halvorsen Quade|Birkenallee 31|Leipzig|04109|DE|Parcel with tracking|7|KN-01*1|PAID|captured
OB-90118||Simone Achterberg|Olivenweg 4|Dresden|01067|DE|Parcel with tracking|7|SC-WIN*2|PAID|captured
OB-90119|Hélder Roque|Hélder Roque|Rua do Sobreiro 8|Évora|7000-650|PT|Slow and green|9|SC-BEE*2,TW-1*1|PAID|captured
OB-90120|Bruna Falcoaria|Bruna Falcoaria|Rua da Barroca 21|Aveiro|9500-218|PT|Parcel with tracking|7|SC-SHD*2|PAID|captured
OB-90121|Anselm Rieger|Anselm Rieger|Amselweg 77|Stuttgart|70173|DE|Parcel with tracking|7|PD-27*1|HOLD|authorised
"""


def _prices() -> dict[str, tuple[str, int]]:
    text = resources.files("tidewind.data").joinpath("products.csv").read_text("utf-8")
    return {row["sku"]: (row["name"], int(row["value"].replace(".", ""))) for row in csv.DictReader(text.splitlines())}


def _euros(cents: int) -> str:
    return f"{cents // 100}.{cents % 100:02d}"


def orders_for(market: str, now: datetime) -> Iterator[tuple[str, float, dict[str, Any]]]:
    """Yield number, instant of the last change (seconds) and the order as the market writes it, oldest first."""
    prices = _prices()
    rows = (_TALLYFAIR if market == "tallyfair" else _OVENBIRD).strip().splitlines()
    for n, row in enumerate(rows):
        cells = row.split("|")
        at = now - timedelta(hours=9 - n)
        basket = [item.partition("*")[::2] for item in cells[9].split(",")]
        items = [(sku, prices[sku][0], int(count), prices[sku][1]) for sku, count in basket]
        write = _tallyfair if market == "tallyfair" else _ovenbird
        yield cells[0], at.timestamp(), write(cells, items, at)


def _tallyfair(cells: list[str], items: list[tuple[str, str, int, int]], at: datetime) -> dict[str, Any]:
    number, name, _, street, city, postcode, country, promise, days, _, stage, money = cells
    by = add_working_days(at.date(), int(days), "PT")
    return {
        "order_ref": number,
        "placed_at": at.isoformat(),
        "stage": stage,
        "money": money,
        "dispatch_by": add_working_days(at.date(), 1, "PT").isoformat(),
        "ship_to": {
            "full_name": name,
            "lines": [street],
            "town": city,
            "zip": postcode,
            "nation": country,
            "phone": "+351 000 555 220",
            "mail": f"{number.lower()}@tallyfair.example",
        },
        "basket": [{"article": s, "label": label, "pieces": n, "unit_price": _euros(p)} for s, label, n, p in items],
        "delivery": {"label": promise, "charged": "4.90", "promised": by.isoformat()},
    }


def _ovenbird(cells: list[str], items: list[tuple[str, str, int, int]], at: datetime) -> dict[str, Any]:
    number, name, bill, street, city, postcode, country, promise, _, _, status, money = cells
    way, _, house = street.rpartition(" ")
    return {
        "code": number,
        "placed_at": at.isoformat(),
        "status": status,
        "payment": {"state": money},
        "buyer": {
            "bill": {"name": bill},
            "ship": {
                "name": name,
                "street": way,
                "house": house,
                "postal_code": postcode,
                "city": city,
                "country_name": country_name(country),
            },
            "mail": f"{number.lower()}@ovenbird.example",
        },
        "rows": [{"sku": s, "title": label, "qty": n, "price_cents": p} for s, label, n, p in items],
        "delivery_method": promise,
        "delivery_paid_cents": 590,
    }
