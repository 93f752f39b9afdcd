"""Orders, plans and offers as they go over HTTP."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import AwareDatetime, BaseModel, Field, StringConstraints

from tidewind.core.channel_changes import ChangeKind
from tidewind.core.order_limits import MOST_MINOR, MOST_PIECES
from tidewind.services.base import MOST_ORDERS
from tidewind.web.base.schemas import (
    AddressIO,
    BillTo,
    Contents,
    Day,
    HandOut,
    HandParcelIO,
    Ids,
    In,
    Out,
    Short,
    Side,
    SplitIO,
)


class SnagOut(Out):
    code: str
    level: str
    words: str
    fix: str
    about: str


class TrailStep(Out):
    layer: str
    value: str
    why: str


class ParcelOut(Out):
    packaging: str | None
    name: str
    contents: list[tuple[int, int]] = Field(description="Pairs of order line id and quantity")
    goods_g: int
    packaging_g: int
    padding_g: int
    gross_g: int
    sides_mm: tuple[int, int, int]
    fill_percent: int


class QuoteLineOut(Out):
    code: str
    name: str
    amount_minor: int
    parcel: int
    basis: str = Field(description="The arithmetic of this line in words")


class QuoteOut(Out):
    zone: str
    billable_g: int
    net_minor: int
    tax_minor: int
    total_minor: int
    published_net_minor: int | None
    account: Annotated[str, Field(description="The account with the carrier that it is the price on")] = ""
    lines: list[QuoteLineOut]


class PickedOrder(Out):
    """What is asked of an order that was selected, whether it was scrolled to or not."""

    id: int
    number: str
    state: str
    buying: bool
    monogram: str | None
    carrier: str | None
    network: str | None
    service: str | None
    service_name: str | None
    ship_date: date | None
    promise_date: date | None
    arrives: date | None
    parcel_count: int
    price_minor: int | None
    paid_shipping_minor: int
    currency: str = Field(description="Of what the buyer paid, by ISO 4217; empty for the shop's")
    held_by: str | None = Field(description="Who else is working on it now")
    batch_id: int | None


class Picked(BaseModel):
    """All orders that match, in one answer; where there are more than can be chosen at once, the first of them."""

    orders: list[PickedOrder]
    matching: int
    newest_change: int = Field(description="What a bulk change names as seen: somebody else's later one is a 409")


class OrderRow(PickedOrder):
    """One row of the work list."""

    channel: str
    state_why: str
    ordered_at: datetime
    recipient: str
    city: str
    country: str
    items: str
    item_count: int
    promise: str
    packaging: str
    decided_by: str
    snags: list[SnagOut]
    payment: str
    value_minor: int | None = Field(description="In the shop's currency; null where nobody has said it yet")
    gross_g: int
    extras: list[str]
    destination: str
    promise_linked: bool
    desk: str
    tags: list[str]
    comment: str
    reference: str
    part_of: int | None
    same_person: int = Field(description="How many other open orders go to the same person")
    outdated: bool = Field(False, description="The price was good until a moment that has passed; it is planned anew")
    tracking_numbers: list[str]
    tracking_state: str | None = Field(None, description="Where the carrier last saw it, of an order with a label")


class OrderPage(BaseModel):
    """A page of the work list: the key of the next, how many match in all, how many are in each view."""

    orders: list[OrderRow]
    counts: dict[str, int]
    next: str | None
    more: bool
    matching: int
    newest_change: int = Field(description="What a bulk change names as seen: somebody else's later one is a 409")


class OrderLineOut(Out):
    id: int
    sku: str
    name: str
    quantity: int
    sent: int
    unit_price_minor: int
    order_id: int


class LabelOut(Out):
    id: int
    parcel_no: int
    gross_g: int
    tracking_number: str | None
    printed_at: datetime | None


class SoldAsOut(BaseModel):
    """An offer that was taken at the checkout: what it is called, of which version, in which boxes, for how much."""

    name: str
    version: int
    boxes: list[str]
    price_minor: int | None


class EventOut(Out):
    at: datetime
    state: str
    words: str
    spot: str


class ShipmentOut(BaseModel):
    """What was bought or tried; ``begun`` once the carrier was asked."""

    id: int
    batch_id: int
    order_id: int
    order_number: str
    state: str
    carrier: str
    service_name: str
    price_minor: int
    premium_minor: int = 0
    ship_date: date
    arrives: date | None
    failure: str
    tracking_state: str
    tracking_path: str
    payer: str
    begun: bool
    crosses_border: bool
    void_due_on: date | None
    void_words: str
    changed: str = Field(description="What its order's channel changed since it was bought; empty where nothing")
    labels: list[LabelOut]


class SamePerson(Out):
    """Another order to the same person."""

    id: int
    number: str
    items: str


class FieldChange(Out):
    field: str
    before: str
    after: str


class DifferenceOut(Out):
    """What the channel changed after the order was imported."""

    id: int
    order_id: int = Field(description="The order that was changed: this one, one that goes along, or its whole")
    number: str
    at: datetime
    kind: ChangeKind
    changes: list[FieldChange]
    labels: list[LabelAtStake] = Field(description="What is bought, and would be wrong once the change is taken")


class LabelAtStake(BaseModel):
    """A bought label that a channel's change makes wrong."""

    order_number: str
    service_name: str
    price_minor: int
    printed: bool
    handed_over: bool


class MarginOut(Out):
    paid_minor: int
    cost_minor: int
    margin_minor: int


class OrderSheet(BaseModel):
    """One order whole: what, to whom, and how."""

    row: OrderRow
    address: AddressIO
    home: bool
    sender: AddressIO | None = Field(description="Who it is sent by, where that is not the shop")
    note: str
    lines: list[OrderLineOut]
    hand: HandOut
    parcels: list[ParcelOut]
    quote: QuoteOut | None
    trail: dict[str, list[TrailStep]]
    shipments: list[ShipmentOut]
    margin: MarginOut | None = Field(description="What the buyer paid for shipping and what it cost so far")
    sold: SoldAsOut | None = Field(description="What was taken at the checkout, where an offer of ours was")
    events: list[EventOut]
    billing_name: str
    latin: AddressIO | None = Field(description="The address in Latin letters, where it is written in others")
    same_person: list[SamePerson]
    joined: list[SamePerson]
    difference: DifferenceOut | None
    can_undo: str = Field(description="What undo would take back; empty where there is nothing")
    newest_change: int = Field(description="The newest entry of its history")
    undo_by: str = Field(description="Whose change that is, where it is somebody else's")


class HandIn(In):
    """What to set by hand; null takes a setting back, a field left out stays as it is."""

    packaging: Short | None = None
    service: Short | None = None
    extras: Annotated[list[Short], Field(max_length=10)] | None = None
    ship_date: Day | None = None
    desk: Short | None = None
    point: Annotated[Short | None, Field(description="The recipient's locker or shop, by the carrier's code")] = None
    account: Annotated[Short | None, Field(description="Our account with the carrier; else the cheapest")] = None
    bill_to: Annotated[BillTo | None, Field(description="Whose account with the carrier is billed instead")] = None
    split: SplitIO | None = None
    parcels: Annotated[list[HandParcelIO], Field(max_length=60)] | None = None
    not_stackable: Annotated[bool | None, Field(description="Nothing may be put on its parcels")] = None


class HandEditIn(HandIn):
    """The same for one order, by somebody who has it before him."""

    seen: Annotated[int | None, Field(description="The newest entry of its history that was shown")] = None


class WorthIn(In):
    """What an order's goods are worth in the shop's currency; ``also`` names others, at the same rate."""

    worth_minor: Annotated[int, Field(ge=0, le=MOST_MINOR)]
    also: Annotated[list[int], Field(max_length=MOST_ORDERS)] = []


class WorthSaid(BaseModel):
    """Which orders know it now, and which of those that were named do not: another currency, or no price."""

    known: list[int]
    left: list[int]


class TypedLineIn(In):
    """An item typed by hand; weight and sides where the catalogue does not know them."""

    sku: Annotated[str, StringConstraints(max_length=60)] = ""
    name: Annotated[str, StringConstraints(max_length=200)] = ""
    quantity: Annotated[int, Field(gt=0, le=MOST_PIECES)] = 1
    unit_price_minor: Annotated[int, Field(ge=0, le=10_000_000)] = 0
    weight_g: Annotated[int, Field(gt=0, le=1_000_000)] | None = None
    sides_mm: tuple[Side, Side, Side] | None = None
    own_box: Annotated[bool, Field(description="Packed already: it goes as it is")] = False
    contents: Annotated[list[Contents], Field(max_length=4)] = []


class TypedHandIn(In):
    """What is chosen by hand from the beginning, as when a quote becomes a shipment."""

    service: Short | None = None
    extras: Annotated[list[Short], Field(max_length=10)] | None = None
    point: Short | None = None


class TypedOrderIn(In):
    """A shipment without an order from a channel; an address may be left half-way."""

    address: AddressIO
    lines: Annotated[list[TypedLineIn], Field(min_length=1, max_length=500)]
    number: Annotated[str, StringConstraints(max_length=60)] = ""
    reference: Annotated[str, StringConstraints(max_length=60)] = ""
    home: bool = True
    promise: Short = ""
    promise_date: Day | None = None
    paid_shipping_minor: Annotated[int, Field(ge=0, le=10_000_000)] = 0
    payment: Literal["paid", "pay_on_delivery", "unpaid"] = "paid"
    note: Annotated[str, StringConstraints(max_length=500)] = ""
    tags: Annotated[list[Annotated[str, StringConstraints(max_length=40)]], Field(max_length=20)] = []
    ordered_at: AwareDatetime | None = None
    hand: TypedHandIn = TypedHandIn()


class TrialIn(In):
    """An order to plan without storing it, with other rules than those in force where given."""

    order: TypedOrderIn
    channel: Short = "hand"
    rules: Annotated[list[Any], Field(max_length=500)] | None = None


class TrialOut(BaseModel):
    """The plan an order would get."""

    stopped: bool
    service: str | None
    service_name: str | None
    price_minor: int | None
    ship_date: date | None
    arrives: date | None
    packaging: str
    parcels: list[ParcelOut]
    extras: list[str]
    value_minor: int
    desk: str
    tags: list[str]
    hold: str
    leave_out: str
    rules: list[str]
    snags: list[SnagOut]
    trail: dict[str, list[TrailStep]]


class AddressIn(In):
    address: AddressIO
    home: bool = True
    seen: AddressIO | None = Field(None, description="The address that was shown when typing began")


class SenderIn(In):
    """Who this order alone is sent by; null: the shop again."""

    sender: AddressIO | None


class HeldIn(In):
    order_ids: Ids
    held: bool


class ProductFactsIn(In):
    weight_g: Annotated[int, Field(gt=0, le=1_000_000)] | None = None
    customs_text: Annotated[str, StringConstraints(max_length=200)] | None = None
    hs_code: Annotated[str, StringConstraints(pattern=r"^[0-9. ]{0,16}$")] | None = None
    origin: Annotated[str, StringConstraints(pattern="^([A-Z]{2})?$")] | None = None
    sides_mm: (
        tuple[
            Annotated[int, Field(gt=0, le=10_000)],
            Annotated[int, Field(gt=0, le=10_000)],
            Annotated[int, Field(gt=0, le=10_000)],
        ]
        | None
    ) = None
