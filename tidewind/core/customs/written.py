"""A border as it is kept with a shipment: what was declared stays as it was, whatever tables and products say later."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from datetime import date
from typing import Any

from tidewind.core.customs.declaration import Declaration, Item
from tidewind.core.customs.duties import Due, Estimate, Journey
from tidewind.core.customs.needs import Need
from tidewind.core.customs.planned import Border
from tidewind.core.customs.said import CustomsSaid
from tidewind.core.customs.units import CustomsUnit, counted, unit_of
from tidewind.core.written import Written

VERSION = 1


def write_border(border: Border) -> Written:
    """Return a border in its written form."""
    declared = asdict(border.declared)
    for item in declared["items"]:
        item["contents"] = sorted(item["contents"])
    journey = asdict(border.journey) | {"day": border.journey.day.isoformat()}
    return {
        "version": VERSION,
        "declared": declared,
        "journey": journey,
        "due": asdict(border.due),
        "needs": [asdict(need) for need in border.needs],
    }


def read_border(written: Mapping[str, Any]) -> Border:
    """Return a border from its written form."""
    told, way, due = written["declared"], written["journey"], written["due"]
    items = tuple(Item(**{**item, "contents": frozenset(item["contents"])}) for item in told["items"])
    return Border(
        Declaration(told["purpose"], told["sender_pays"], told["currency"], items),
        Journey(**{**way, "day": date.fromisoformat(way["day"])}),
        Estimate(
            **{
                **due,
                "steps": tuple(Due(**step) for step in due["steps"]),
                "notes": tuple(due["notes"]),
                "agreements": tuple(due["agreements"]),
            }
        ),
        tuple(Need(**need) for need in written["needs"]),
    )


def told_to_carrier(border: Border, numbers: Mapping[str, str], said: CustomsSaid) -> Written:
    """Return what a carrier is told electronically: the declaration, whose numbers, and who pays the duties.

    Weights in g, money in minor units.  ``numbers`` are those that were asked for, by their kind.
    """
    declared = border.declared
    return {
        "purpose": declared.purpose,
        "incoterm": "DDP" if declared.sender_pays else "DAP",
        "currency": declared.currency,
        "shipping_minor": declared.shipping_minor,
        "total_minor": declared.total_minor,
        "gross_g": declared.gross_g,
        "tax_at_sale": border.due.at_sale_minor > 0,
        "sender_numbers": dict(numbers),
        "recipient_number": said.recipient_number,
        "broker": said.broker,
        "duties_account": said.duties_account,
        "papers": [{"kind": need.kind, "copies": need.copies} for need in border.needs if need.copies],
        "items": [
            {
                "text": item.text,
                "quantity": item.quantity,
                "unit": "pair" if unit_of(item.hs_code) is CustomsUnit.PAIR else "piece",
                "customs_quantity": counted(item.hs_code, item.quantity, item.net_g).amount,
                "customs_unit": unit_of(item.hs_code).code,
                "value_minor": item.value_minor,
                "net_g": item.net_g,
                "hs_code": item.hs_code,
                "origin": item.origin,
            }
            for item in declared.items
        ],
    }
