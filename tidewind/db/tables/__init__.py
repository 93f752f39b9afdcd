"""All tables, one module per group; importing this package registers them."""

from tidewind.db.tables.carriers import CarrierAccount, RateCardRow
from tidewind.db.tables.money import LedgerAccount, LedgerEntry, LedgerLine
from tidewind.db.tables.orders import Channel, Import, Order, OrderLine, SnagRow
from tidewind.db.tables.people import ApiKey, Attempt, Person, SignIn
from tidewind.db.tables.shipping import Batch, ChannelNotice, Departure, Label, Message, Shipment, TrackingEvent
from tidewind.db.tables.shop import PackagingRow, Place, Product, Shop

__all__ = [
    "ApiKey", "Attempt", "Batch", "CarrierAccount", "Channel", "ChannelNotice", "Departure", "Import", "Label",
    "LedgerAccount", "LedgerEntry", "LedgerLine", "Message", "Order", "OrderLine", "PackagingRow", "Person", "Place",
    "Product", "RateCardRow", "Shipment", "Shop", "SignIn", "SnagRow", "TrackingEvent",
]  # fmt: skip
