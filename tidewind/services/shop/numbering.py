"""Labels of our own for carriers that are not asked: numbers out of ranges that they gave, each drawn once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.addresses.check import Address
from tidewind.core.numbering import NumberRange, overlap, range_faults
from tidewind.core.tariffs.live import LiveAnswer, Question
from tidewind.core.wishing import Wish
from tidewind.db.tables import Label, NumberRangeRow, OwnSale
from tidewind.outside.carrier import CarrierEvent, Purchase, Sold, SoldParcel, SoldReturn, VoidAnswer
from tidewind.outside.errors import RefusedOutside
from tidewind.outside.handing_over import ManifestTold, PickupAnswer, PickupWanted
from tidewind.services.base import Conflict, Invalid, NotFound, one_at_a_time
from tidewind.services.shop.carriers import get_carrier

MOST_NUMBERS = 100_000_000


def ranges_of(session: Session, carrier_id: int) -> Sequence[NumberRangeRow]:
    """Return a carrier's ranges in the order in which they are used."""
    mine = select(NumberRangeRow).where(NumberRangeRow.carrier_id == carrier_id)
    return session.scalars(mine.order_by(NumberRangeRow.id)).all()


def numbers_left(ranges: Sequence[NumberRangeRow]) -> int:
    """Return how many numbers can still be drawn."""
    return sum(row.last + 1 - row.next for row in ranges)


def add_range(session: Session, code: str, wanted: NumberRange, warn_at: int) -> NumberRangeRow:
    """Add a range behind those that a carrier has.

    Raises Invalid with what is wrong with it, Conflict where it overlaps another one of whatever carrier, or where the
    carrier numbers its labels itself, NotFound.
    """
    row = get_carrier(session, code)
    if row.kind != "list":
        raise Conflict("numbers_itself", f"{row.name} gives its own numbers when a label is bought.")
    faults = range_faults(wanted)
    if wanted.size > MOST_NUMBERS:
        faults.append(f"A range has at most {MOST_NUMBERS:,} numbers.")
    if faults:
        raise Invalid("bad_range", " ".join(faults))
    one_at_a_time(session, "number_range")
    for other in session.scalars(select(NumberRangeRow)):
        if overlap(wanted, other.to_core()):
            words = f"It overlaps the range from {other.to_core().number(other.first)}. No number is given twice."
            raise Conflict("ranges_overlap", words)
    made = NumberRangeRow(
        carrier_id=row.id,
        kind=wanted.kind,
        prefix=wanted.prefix,
        country=wanted.country,
        digits=wanted.digits,
        check_digit=wanted.check,
        first=wanted.first,
        last=wanted.last,
        next=wanted.first,
        warn_at=warn_at,
    )
    session.add(made)
    session.flush()
    return made


def remove_range(session: Session, code: str, range_id: int) -> None:
    """Take a range away that no number was drawn from.  Raises Conflict for one in use, NotFound."""
    row = session.get(NumberRangeRow, range_id, with_for_update=True)
    if row is None or row.carrier_id != get_carrier(session, code).id:
        raise NotFound("unknown_range", "This carrier has no such range.")
    if row.next > row.first:
        raise Conflict("range_in_use", "Numbers were drawn from it. It ends by itself; add another one behind it.")
    session.delete(row)


def type_number(session: Session, label_id: int, number: str) -> Label:
    """Write down the number that a carrier put on a parcel whose label had none, or correct it.

    Raises Invalid for what is no number, Conflict for one that another parcel has or that came from the carrier or a
    range by itself, NotFound.
    """
    tidy = "".join(number.split()).upper()
    if not 4 <= len(tidy) <= 40 or not tidy.isascii() or not tidy.replace("-", "").replace(".", "").isalnum():
        raise Invalid("no_number", "A tracking number has 4 to 40 letters and digits.")
    label = session.get(Label, label_id, with_for_update=True)
    if label is None:
        raise NotFound("unknown_label", "This label does not exist.")
    key = select(Label.id).where(Label.tracking_number == tidy, Label.id != label_id)
    if session.scalar(key) is not None:
        raise Conflict("number_taken", f"{tidy} is another parcel's. Nothing was changed.")
    if label.tracking_number and _was_given(session, label):
        raise Conflict("number_given", f"{label.tracking_number} is printed on this label and cannot be changed.")
    label.tracking_number = tidy
    return label


def _was_given(session: Session, label: Label) -> bool:
    return bool(label.routing) or bool(
        session.scalar(select(func.count(OwnSale.id)).where(OwnSale.numbers.contains([label.tracking_number])))
    )


class OwnNumbers:
    """A carrier that is not asked, seen as one that is (``CarrierClient``): what it sells are numbers of its ranges.

    Each purchase is a transaction of its own under its key, so that whatever dies between finds the same numbers again;
    nothing is charged here, since the carrier bills by what it was handed.
    """

    def __init__(self, sessions: sessionmaker[Session], carrier_id: int, name: str) -> None:
        self._sessions, self._carrier_id, self._name = sessions, carrier_id, name

    def order_packaging(  # CarrierClient's
        self,
        key: str,  # noqa: ARG002
        pieces: Mapping[str, int],  # noqa: ARG002
        to: Address,  # noqa: ARG002
    ) -> tuple[str, date | None]:
        """Its packaging is ordered by telephone."""
        raise RefusedOutside("not_asked", f"{self._name} is not asked")

    def points(self, country: str, postcode: str) -> list[Mapping[str, str]]:  # noqa: ARG002 - CarrierClient's
        """Its drop-off points come out of a file."""
        raise RefusedOutside("not_asked", f"{self._name} is not asked")

    def quotes(self, question: Question, now: datetime) -> LiveAnswer:  # noqa: ARG002 - CarrierClient's
        """Its prices are on its card."""
        raise RefusedOutside("not_asked", f"{self._name} is priced by its card")

    def buy(self, key: str, purchase: Purchase) -> Sold:
        """Draw a number for each parcel; the same key gives the same ones.  Raises RefusedOutside for none left."""
        with self._sessions.begin() as session:
            one_at_a_time(session, f"own_sale:{self._carrier_id}")
            known = _sale(session, key)
            if known is not None:
                if known.cancelled:
                    raise RefusedOutside("cancelled", "this purchase was taken back")
                return _sold(known)
            numbers = self._draw(session, len(purchase.consignment.parcels))
            made = OwnSale(carrier_id=self._carrier_id, key=key, numbers=numbers, price_minor=purchase.expected_minor)
            session.add(made)
            session.flush()
            return _sold(made)

    def _draw(self, session: Session, count: int) -> list[str]:
        """Return numbers out of the ranges in their order; empty ones where the carrier has no range at all."""
        mine = select(NumberRangeRow).where(NumberRangeRow.carrier_id == self._carrier_id)
        rows = session.scalars(mine.order_by(NumberRangeRow.id).with_for_update()).all()
        if not rows:
            return [""] * count
        drawn: list[str] = []
        for row in rows:
            while row.next <= row.last and len(drawn) < count:
                until = min(row.next + count - len(drawn), row.last + 1)
                numbers = [row.to_core().number(serial) for serial in range(row.next, until)]
                taken = set(session.scalars(select(Label.tracking_number).where(Label.tracking_number.in_(numbers))))
                drawn += [number for number in numbers if number not in taken]  # one typed for another parcel is left
                row.next = until
        if len(drawn) < count:
            raise RefusedOutside("no_numbers", "its ranges of numbers are used up. Add one in Set-up, Carriers")
        return drawn

    def find(self, key: str) -> Sold | None:
        """See CarrierClient."""
        with self._sessions() as session:
            known = _sale(session, key)
            return _sold(known) if known is not None and not known.cancelled else None

    def cancel(self, key: str) -> None:
        """Take a key back, sold or not; its numbers are not given again."""
        with self._sessions.begin() as session:
            one_at_a_time(session, f"own_sale:{self._carrier_id}")
            known = _sale(session, key)
            if known is None:
                known = OwnSale(carrier_id=self._carrier_id, key=key, numbers=[], price_minor=0)
                session.add(known)
            known.cancelled = True

    def void(self, key: str) -> VoidAnswer:
        """Nothing was charged, so nothing is waited for."""
        self.cancel(key)
        return VoidAnswer("refunded", "nothing was handed over")

    def void_state(self, key: str) -> VoidAnswer | None:
        """See CarrierClient."""
        with self._sessions() as session:
            known = _sale(session, key)
            return VoidAnswer("refunded") if known is not None and known.cancelled else None

    def make_return(self, key: str, own_key: str, service: str) -> SoldReturn:  # noqa: ARG002 - CarrierClient's
        """It makes none."""
        raise RefusedOutside("no_returns", f"{self._name} has no labels for the way back here")

    def events(self, tracking_number: str) -> list[CarrierEvent]:  # noqa: ARG002 - CarrierClient's
        """It tells nothing by itself."""
        return []

    def events_of(self, numbers: Sequence[str]) -> Mapping[str, Sequence[CarrierEvent]]:  # noqa: ARG002 - CarrierClient's
        """It tells nothing by itself."""
        return {}

    def wish(self, tracking_number: str, key: str, wish: Wish) -> None:  # noqa: ARG002 - CarrierClient's
        """Nobody can be asked; it says so nowhere that it could, so nobody is offered it."""
        raise RefusedOutside("not_asked", f"{self._name} is not asked")

    def subscribe(self, url: str) -> None:
        """It tells nothing by itself."""

    def book_pickup(self, key: str, wanted: PickupWanted) -> PickupAnswer:  # noqa: ARG002 - CarrierClient's
        """Nobody is told by the program: who asked for the van calls the carrier, and it stands in our list."""
        return PickupAnswer("booked", "by telephone", wanted.expected_minor, f"Tell {self._name} yourselves")

    def find_pickup(self, key: str) -> PickupAnswer | None:  # noqa: ARG002 - CarrierClient's
        """It came, as long as nobody says otherwise: this carrier tells nothing by itself."""
        return PickupAnswer("done", "by telephone", 0)

    def cancel_pickup(self, key: str) -> None:
        """Nobody is told by the program."""

    def tell_manifest(self, key: str, manifest: ManifestTold) -> None:
        """The list goes along on paper."""

    def take_manifest_back(self, key: str) -> None:
        """Nobody was told of it."""


def _sale(session: Session, key: str) -> OwnSale | None:
    return session.scalar(select(OwnSale).where(OwnSale.key == key))


def _sold(sale: OwnSale) -> Sold:
    return Sold(sale.price_minor, tuple(SoldParcel(str(number), "") for number in sale.numbers))
