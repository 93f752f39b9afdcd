"""All tables, one module per room; importing this package registers them."""

from tidewind.db.tables.bench import Bench, BenchScan, Packing, Photo, SerialNumber
from tidewind.db.tables.books import LedgerAccount, LedgerEntry, LedgerLine
from tidewind.db.tables.buying import Batch, Label, Shipment
from tidewind.db.tables.carriers import CarrierAccount, CarrierRow, LiveAnswerRow, NumberRangeRow, OwnSale, RateCardRow
from tidewind.db.tables.follow import ChannelNotice, LabelRequest, Message, RequestLink, Return, TrackingEvent
from tidewind.db.tables.handover import Departure, DropOffPointRow, Manifest, Pickup, StandingPickup
from tidewind.db.tables.orders import (
    Aside,
    Channel,
    ChannelLog,
    Difference,
    Feed,
    Import,
    Order,
    OrderChange,
    OrderLine,
    SavedView,
    SnagRow,
)
from tidewind.db.tables.papers import Printer, PrintJob, PrintPreference
from tidewind.db.tables.people import ApiKey, Attempt, DoorLink, Person, PresenceRow, SignIn
from tidewind.db.tables.planning import CheckoutVersion, PrecedentRow, PromiseLink, RecipeRow, RuleSet, Work
from tidewind.db.tables.shop import Clearance, Contact, PackagingRow, Place, Product, RestrictedParty, Shop

__all__ = [
    "ApiKey",
    "Aside",
    "Attempt",
    "Batch",
    "Bench",
    "BenchScan",
    "CarrierAccount",
    "CarrierRow",
    "Channel",
    "ChannelLog",
    "ChannelNotice",
    "CheckoutVersion",
    "Clearance",
    "Contact",
    "Departure",
    "Difference",
    "DoorLink",
    "DropOffPointRow",
    "Feed",
    "Import",
    "Label",
    "LabelRequest",
    "LedgerAccount",
    "LedgerEntry",
    "LedgerLine",
    "LiveAnswerRow",
    "Manifest",
    "Message",
    "NumberRangeRow",
    "Order",
    "OrderChange",
    "OrderLine",
    "OwnSale",
    "PackagingRow",
    "Packing",
    "Person",
    "Photo",
    "Pickup",
    "Place",
    "PrecedentRow",
    "PresenceRow",
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
    "SerialNumber",
    "Shipment",
    "Shop",
    "SignIn",
    "SnagRow",
    "StandingPickup",
    "TrackingEvent",
    "Work",
]
