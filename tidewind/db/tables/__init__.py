"""All tables, one module per group; importing this package registers them."""

from tidewind.db.tables.carriers import CarrierAccount, CarrierRow, LiveAnswerRow, RateCardRow
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
from tidewind.db.tables.printing import Printer, PrintJob, PrintPreference
from tidewind.db.tables.returns import LabelRequest, RequestLink, Return
from tidewind.db.tables.shipping import Batch, Departure, Label, Shipment, TrackingEvent
from tidewind.db.tables.shop import PackagingRow, Place, Product, Shop
from tidewind.db.tables.telling import ChannelNotice, Message

__all__ = [
    "ApiKey",
    "Attempt",
    "Batch",
    "CarrierAccount",
    "CarrierRow",
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
    "LabelRequest",
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
    "PrintJob",
    "PrintPreference",
    "Printer",
    "Product",
    "PromiseLink",
    "RateCardRow",
    "RecipeRow",
    "RequestLink",
    "RestrictedParty",
    "Return",
    "RuleSet",
    "SavedView",
    "Shipment",
    "Shop",
    "SignIn",
    "SnagRow",
    "TrackingEvent",
    "Work",
]
