"""Across customs borders: what an order declares and needs, the papers it becomes, and the tables behind it."""

from tidewind.services.customs.borders import (
    Declared,
    GoodsAsked,
    OrderBorder,
    border_of_order,
    borders_to_buy,
    estimate_of,
    look_at_border,
)
from tidewind.services.customs.charged import DutyRecord, charged_for, compared_duties, say_charged
from tidewind.services.customs.codes import find_codes, suggest_text
from tidewind.services.customs.own_papers import drop_own_invoice, own_invoice_name, take_own_invoice
from tidewind.services.customs.papers import customs_papers, invoice_xml, papers_back, papers_of_shipments
from tidewind.services.customs.tables import own_numbers, replace_tables, set_numbers, tables_file, tables_now

__all__ = [
    "Declared",
    "DutyRecord",
    "GoodsAsked",
    "OrderBorder",
    "border_of_order",
    "borders_to_buy",
    "charged_for",
    "compared_duties",
    "customs_papers",
    "drop_own_invoice",
    "estimate_of",
    "find_codes",
    "invoice_xml",
    "look_at_border",
    "own_invoice_name",
    "own_numbers",
    "papers_back",
    "papers_of_shipments",
    "replace_tables",
    "say_charged",
    "set_numbers",
    "suggest_text",
    "tables_file",
    "tables_now",
    "take_own_invoice",
]
