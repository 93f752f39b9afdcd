"""From the wish to the label and back: batches, checks, purchase, settling, voids."""

from tidewind.services.buying.after_buying import keep_here, void_and_take
from tidewind.services.buying.asking import (
    AT_ONCE_PER_CARRIER,
    FIRST_PARCELS,
    PARCELS_PER_JOB,
    PurchaseAsked,
    ToBuy,
    ask_to_buy,
    batch_shipments,
)
from tidewind.services.buying.batches import (
    Filled,
    archive_batch,
    batch_summaries,
    change_batch,
    exceptions_of,
    fill_batch,
    get_batch,
    orders_in_batch,
    scan_into_batch,
    start_batch,
    take_out,
)
from tidewind.services.buying.checking import check_orders
from tidewind.services.buying.settling import buy_shipment, buy_shipments, cancel_waiting, sweep
from tidewind.services.buying.voiding import Voided, ask_void, chase_refund, settle_due_voids, waiting_refunds
from tidewind.services.buying.watching import look_for_late_sales, settle_label

__all__ = [
    "AT_ONCE_PER_CARRIER",
    "FIRST_PARCELS",
    "PARCELS_PER_JOB",
    "Filled",
    "PurchaseAsked",
    "ToBuy",
    "Voided",
    "archive_batch",
    "ask_to_buy",
    "ask_void",
    "batch_shipments",
    "batch_summaries",
    "buy_shipment",
    "buy_shipments",
    "cancel_waiting",
    "change_batch",
    "chase_refund",
    "check_orders",
    "exceptions_of",
    "fill_batch",
    "get_batch",
    "keep_here",
    "look_for_late_sales",
    "orders_in_batch",
    "scan_into_batch",
    "settle_due_voids",
    "settle_label",
    "start_batch",
    "sweep",
    "take_out",
    "void_and_take",
    "waiting_refunds",
]
