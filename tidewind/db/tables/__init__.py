"""All tables, one module per group; importing this package registers them."""

from tidewind.db.tables.carriers import CarrierAccount, LiveAnswerRow, RateCardRow
from tidewind.db.tables.layers import (
    Claim,
    Clearance,
    Contact,
    OrderChange,
    PrecedentRow,
    PromiseLink,
    RecipeRow,
    RestrictedParty,
    RuleSet,
    SavedView,
    Work,
)  # fmt: skip
from tidewind.db.tables.money import LedgerAccount, LedgerEntry, LedgerLine
from tidewind.db.tables.orders import Channel, ChannelLog, Difference, Import, Order, OrderLine, SnagRow
from tidewind.db.tables.people import ApiKey, Attempt, Person, SignIn
from tidewind.db.tables.shipping import Batch, ChannelNotice, Departure, Label, Message, Shipment, TrackingEvent
from tidewind.db.tables.shop import PackagingRow, Place, Product, Shop

__all__ = [
    "ApiKey",
    "Attempt",
    "Batch",
    "CarrierAccount",
    "Channel",
    "ChannelLog",
    "ChannelNotice",
    "Claim",
    "Clearance",
    "Contact",
    "Departure",
    "Difference",
    "Import",
    "Label",
    "LedgerAccount",
    "LedgerEntry",
    "LedgerLine",
    "LiveAnswerRow",
    "Message",
    "Order",
    "OrderChange",
    "OrderLine",
    "PackagingRow",
    "Person",
    "Place",
    "PrecedentRow",
    "Product",
    "PromiseLink",
    "RateCardRow",
    "RecipeRow",
    "RestrictedParty",
    "RuleSet",
    "SavedView",
    "Shipment",
    "Shop",
    "SignIn",
    "SnagRow",
    "TrackingEvent",
    "Work",
]
