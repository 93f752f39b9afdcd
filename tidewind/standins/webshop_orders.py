"""The made-up orders that wait in the web shop on the first day."""

from __future__ import annotations

import csv
import random
from datetime import datetime, timedelta
from importlib import resources
from typing import Any

from tidewind.core.calendar import add_working_days

# name | street | city | postcode | country | promise | items (sku × quantity) | what is special
_SPECIAL = """
Benedita Falcão|Rua do Outeiro 7|Évora|7000-809|PT|next|TP-18*3|
Beatriz Amorim|Rua da Nogueira 14, 2.º D|Viseu|3500-108|PT|home|TP-12*2,HF-02*1,ST-BEE*3|note:Please ring twice.
Martim Sequeira|Travessa do Salgueiro 3|Coimbra|3000-150|PT|next|HF-02*1,TR-02*1,TW-1*1|
Aurélie Tassin|12 rue des Glycines|Lyon|69003|FR|abroad|SC-SHD*1|
Ελένη Μαυρίδη|Οδός Αμπέλων 21|Ιωάννινα|452 21|GR|abroad|PD-27*1,GG-M*1|
Inga Sollund|Furuveien 8|Tromsø|9010|NO|abroad|TP-12*8,CB-01*4|
Caetano Lobo|Canada do Feno 5|Ponta Delgada|9500-321|PT|home|BC-160*1|
Graça Menezes|Caminho da Levada 40|Funchal|9050-012|PT|home|MS-1*1,SO-1*2|
石井 はるか|鎌倉市御成町 18-2|神奈川県|248-0012|JP|abroad|HF-01*1,ST-LAV*1|region:神奈川県
Owen Pell|4 Orchard Lane|Hereford|HR1 2PX|GB|abroad|BK-1*1,SC-MDW*2|
Urs Kägi|Lindenhofweg 3|Winterthur|8400|CH|abroad|SN-01*1|
Marlene Voss|Postfach 11 20|Kassel|34117|DE|abroad|SC-P*1|
Clara Wiesner|Am Gries 9|Graz|8020|AT|abroad|SC-WIN*2,SC-HRB*1|
Dorothy Blakemore|77 Juniper Street|Portland|97205|US|abroad|WC-1*1|region:OR
Thiago Barreira|Rua das Paineiras 210|Curitiba|80420-090|BR|abroad|KN-01*1,WD-01*1|region:PR
Nuno Taveira|Largo do Poço 2|Setúbal|2900-33|PT|home|SL-4*1|
Fernanda Quintela|Rua do Moinho 18||4700-027|PT|home|TG-1*1|
Helga Brandt||Köln|50667|DE|abroad|GG-L*2|
Duarte Pinhal|Estrada da Ribeira 60|Beja|7800-310|PT|home|GC-01*1,SO-1*1|
Sara Lindim|Rua Nova 22|Leiria|2400-112|PT|home|MO-01*1|
Sara Lindim|Rua Nova 22|Leiria|2400-112|PT|home|FE-1*2|
Paulo Serrano|Avenida do Rio 101|Porto|4100-320|PT|next|WF-25*1|
Quinta do Sobral, Lda|Zona Industrial, lote 9|Tomar|2300-420|PT|home|CB-12*2,GR-1*3|business
Joana Freitas|Rua das Olarias 5|Aveiro|3810-142|PT|pickup|TP-9*2|state:collected
Rui Antas|Rua do Sol 31|Faro|8000-205|PT|home|SL-1*6|state:unpaid
Mécia Toscano|Beco do Forno 1|Guarda|6300-655|PT|home|CL-1*1|state:held
Leonor Brandt|Rua Dom Pedro 14|Braga|4710-057|PT|home|WF-210*1|
Sofía Arrieta|Calle del Almendro 12|Salamanca|37002|ES|abroad|WC-5*1,TG-2*1|
Iñaki Zubiri|Kale Nagusia 8|Pamplona|31001|ES|abroad|NO-250*2|
Tomás Vilaça|Rua da Alegria 77|Lisboa|1250-006|PT|home|TP-27*2,TS-24*2|
Olga Prates|Travessa do Carvalho 4|Castelo Branco|6000-150|PT|home|GF-1*40,BU-T*12,BU-N*12,BU-C*6|
""".strip()

_PEOPLE = """
Alda Nogueira|Rua da Fonte 3|Aveiro|3800-110|PT
Bernardo Cunhal|Rua do Castelo 19|Santarém|2000-120|PT
Celeste Rainho|Praça da Erva 6|Viana do Castelo|4900-322|PT
Diogo Carvalhal|Rua dos Ferreiros 48|Guimarães|4800-410|PT
Eva Mourato|Rua do Norte 9|Peniche|2520-204|PT
Filipe Sarmento|Rua da Escola 27|Ovar|3880-112|PT
Glória Peixe|Alameda das Tílias 15|Porto|4200-105|PT
Hugo Tâmega|Rua do Cruzeiro 2|Amarante|4600-040|PT
Isaura Pombal|Rua de Cima 33|Pombal|3100-412|PT
Jacinto Varela|Rua do Alto 71|Lisboa|1170-002|PT
Katharina Moll|Gartenstraße 5|Freiburg|79098|DE
Lucas Hennebert|3 avenue des Saules|Nantes|44000|FR
Maaike Terpstra|Wilgenpad 22|Groningen|9711 AB|NL
Nicoletta Bruni|Via dei Gelsi 14|Ferrara|44121|IT
Oriol Casals|Carrer de la Font 7|Girona|17001|ES
Petra Novotná|Lipová 16|Olomouc|779 00|CZ
Raquel Bastos|Rua das Amoreiras 8|Caldas da Rainha|2500-130|PT
Simão Leitão|Rua do Lagar 12|Mealhada|3050-320|PT
Teresa Alvim|Rua da Quinta 90|Vila Real|5000-420|PT
Ulisses Pacheco|Rua do Mercado 55|Figueira da Foz|3080-110|PT
""".strip()

_PROMISES = {
    "home": ("Standard home, 3–5 days", 5, 590),
    "next": ("Express next day", 1, 990),
    "abroad": ("Abroad, tracked", 8, 1290),
    "pickup": ("Collect in the shop", 0, 0),
}


def prices_of_goods() -> dict[str, tuple[str, int]]:
    """Return the name and the price in cents of everything the shop sells, by SKU."""
    text = resources.files("tidewind.data").joinpath("products.csv").read_text("utf-8")
    return {row["sku"]: (row["name"], int(row["value"].replace(".", ""))) for row in csv.DictReader(text.splitlines())}


def orders_for(now: datetime) -> list[dict[str, Any]]:
    """Return the shop's orders as it writes them, oldest first, dated back from ``now``."""
    chance = random.Random(2026)  # noqa: S311 - a seeded scenario
    prices = prices_of_goods()
    usual = [sku for sku in prices if sku not in {"GC-01", "BC-160", "WF-210", "CB-12"} and not sku.startswith("TP-S")]
    rows = [line.split("|") for line in _SPECIAL.splitlines()]
    for person in _PEOPLE.splitlines():
        basket = ",".join(
            f"{sku}*{chance.choice((1, 1, 1, 2, 3))}" for sku in chance.sample(usual, chance.randint(1, 3))
        )
        country = person.rsplit("|", 1)[1]
        rows.append([*person.split("|"), "home" if country == "PT" else "abroad", basket, ""])
    chance.shuffle(rows)
    return [_order(row, 20380 + n, now - timedelta(hours=30 - n * 0.55), prices) for n, row in enumerate(rows)]


def _order(row: list[str], number: int, at: datetime, prices: dict[str, tuple[str, int]]) -> dict[str, Any]:
    name, street, city, postcode, country, promise, basket, special = row
    text, days, paid = _PROMISES[promise]
    lines = []
    for item in basket.split(","):
        sku, _, count = item.partition("*")
        lines.append({"sku": sku, "title": prices[sku][0], "quantity": int(count), "price_cents": prices[sku][1]})
    hint, _, said = special.partition(":")
    login = "".join(ch for ch in name.lower().replace(" ", ".") if ch.isascii() and (ch.isalnum() or ch == ".")).strip(
        "."
    )
    return {
        "number": f"LL-{number}",
        "placed_at": at.isoformat(),
        "status": {"collected": "collected", "held": "on_hold"}.get(said if hint == "state" else "", "processing"),
        "payment": "pending" if said == "unpaid" else "paid",
        "shipping": {
            "name": name,
            "line1": street,
            "city": city,
            "postcode": postcode,
            "country": country,
            "region": said if hint == "region" else "",
            "phone": "+351 000 555 114",
            "email": f"{login or 'buyer'}{number}@buyers.example",
            "business": hint == "business",
        },
        "delivery": {
            "title": text,
            "paid_cents": paid,
            "promised": add_working_days(at.date(), days, "PT").isoformat() if days else None,
        },
        "note": said if hint == "note" else "",
        "lines": lines,
    }


def new_order(
    number: str, at: datetime, to: dict[str, str], goods: tuple[str, int], offer: dict[str, Any]
) -> dict[str, Any]:
    """Return an order as the shop writes it, placed now by the offer that was chosen at the checkout."""
    (sku, pieces), (title, price) = goods, prices_of_goods()[goods[0]]
    return {
        "number": number,
        "placed_at": at.isoformat(),
        "status": "processing",
        "payment": "paid",
        "shipping": {**to, "region": "", "phone": "", "email": f"{number.lower()}@buyers.example", "business": False},
        "delivery": {
            "title": offer["title"],
            "paid_cents": offer["cents"],
            "promised": offer["by"],
            "offer": offer["reference"],
        },
        "note": "",
        "lines": [{"sku": sku, "title": title, "quantity": pieces, "price_cents": price}],
    }
