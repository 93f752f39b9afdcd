"""A carrier over the open protocol: one client, and readers that let nothing in that cannot be true."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from contextlib import suppress
from dataclasses import asdict
from datetime import date, datetime, time, timedelta
from typing import Any, Literal

import httpx

from tidewind.core.addresses.check import Address
from tidewind.core.consignments import write_consignment
from tidewind.core.tariffs.asked import USUAL_DAYS, USUAL_MAX_G, AskedService
from tidewind.core.tariffs.live import LiveAnswer, LivePrice, Question
from tidewind.core.tracking.states import meaning_of
from tidewind.core.wishing import Wish
from tidewind.metrics import OUTSIDE_CALLS
from tidewind.outside.addresses import check_address
from tidewind.outside.breaker import Breaker
from tidewind.outside.carrier import CarrierEvent, Introduction, Purchase, Sold, SoldParcel, SoldReturn, VoidAnswer
from tidewind.outside.errors import NONSENSE, MaybeDone, NeverSent, NotBelieved, OutsideError, RefusedOutside
from tidewind.outside.handing_over import ManifestTold, PickupAnswer, PickupWanted, read_pickup
from tidewind.outside.http import call, client_at, json_in

PROTOCOL, MAJOR = "tidewind-carrier", "1"
MOST_CARDS, MOST_CODES, MOST_POINTS, MOST_EVENTS = 50, 500, 5_000, 500
_CODE = re.compile(r"[a-z0-9][a-z0-9-]{0,19}")
TRACK_MANY, MOST_NUMBERS = "track_many", 100
RESULTS: dict[type[OutsideError], str] = {
    NeverSent: "never_sent",
    MaybeDone: "maybe_done",
    RefusedOutside: "refused",
}


class HttpCarrier:
    """A carrier that speaks the open protocol (docs/protocols/carrier.yaml); ``states`` says what its codes mean."""

    def __init__(
        self,
        base_url: str,
        timeout_s: float,
        quote_timeout_s: float = 2.5,
        name: str = "",
        key: str = "",
        states: Mapping[str, str] | None = None,
        private: bool = False,
        can: Collection[str] = (),
    ) -> None:
        self._can, self._name, self._states, self._url, self._private = can, name, states or {}, base_url, private
        headers = {"Authorization": f"Bearer {key}"} if key else {}
        self._client = client_at(
            base_url,
            private=private,
            timeout=httpx.Timeout(timeout_s, connect=2.0),
            headers=headers,
            follow_redirects=False,
        )
        self._quote_timeout = httpx.Timeout(quote_timeout_s)
        self._breaker = Breaker()

    def close(self) -> None:
        """Close the connections."""
        self._client.close()

    def _call(self, what: str, method: str, path: str, **options: Any) -> httpx.Response:
        """Make a request, and count it by what came of it."""
        result = "fault"
        try:
            # Each time, since a name that led to the open internet yesterday can lead into our own network today.
            check_address(self._url, private=self._private)
            answer = call(self._client, method, path, **options)
            result = "answered"
        except OutsideError as error:
            result = RESULTS.get(type(error), "fault")
            raise
        finally:
            OUTSIDE_CALLS.labels(self._name, what, result).inc()
        return answer

    def introduce(self) -> Introduction:
        """Ask the carrier who it is.  Raises NeverSent, MaybeDone or RefusedOutside, also for what is no carrier."""
        told = self._call("capabilities", "GET", "/capabilities")
        offered = self._call("cards", "GET", "/cards")
        try:
            return _introduction(json_in(told), json_in(offered))
        except NONSENSE as error:
            words = f"this is no carrier that speaks the protocol: {str(error)[:120]}"
            raise RefusedOutside("not_understood", words) from error

    def quotes(self, question: Question, now: datetime) -> LiveAnswer:
        """See CarrierClient."""
        body = {
            "consignment": write_consignment(question.consignment),
            "ship_date": question.ship_date.isoformat(),
        }
        if not self._breaker.lets_through(now):
            raise NeverSent("left in peace for half a minute after three failures in a row")
        try:
            answer = _answer(self._call("quotes", "POST", "/quotes", json=body, timeout=self._quote_timeout), now)
        except (NeverSent, MaybeDone):
            self._breaker.failed(now)
            raise
        self._breaker.succeeded()
        return answer

    def buy(self, key: str, purchase: Purchase) -> Sold:
        """See CarrierClient."""
        answer = self._call("buy", "POST", "/shipments", json=purchase.written, headers={"Idempotency-Key": key})
        return _sold(answer)

    def find(self, key: str) -> Sold | None:
        """See CarrierClient."""
        try:
            return _sold(self._call("find", "GET", f"/shipments/{key}"))
        except RefusedOutside as refusal:
            _unless_unknown(refusal)
            return None

    def cancel(self, key: str) -> None:
        """See CarrierClient."""
        self._call("cancel", "POST", f"/shipments/{key}/cancel")

    def void(self, key: str) -> VoidAnswer:
        """See CarrierClient."""
        return _void(self._call("void", "POST", f"/shipments/{key}/void"))

    def void_state(self, key: str) -> VoidAnswer | None:
        """See CarrierClient."""
        try:
            return _void(self._call("void_state", "GET", f"/shipments/{key}/void"))
        except RefusedOutside as refusal:
            _unless_unknown(refusal)
            return None

    def book_pickup(self, key: str, wanted: PickupWanted) -> PickupAnswer:
        """See CarrierClient."""
        headers = {"Idempotency-Key": key}
        return read_pickup(self._call("book_pickup", "POST", "/pickups", json=wanted.written, headers=headers))

    def find_pickup(self, key: str) -> PickupAnswer | None:
        """See CarrierClient."""
        try:
            return read_pickup(self._call("find_pickup", "GET", f"/pickups/{key}"))
        except RefusedOutside as refusal:
            _unless_unknown(refusal)
            return None

    def cancel_pickup(self, key: str) -> None:
        """See CarrierClient."""
        self._call("cancel_pickup", "POST", f"/pickups/{key}/cancel")

    def tell_manifest(self, key: str, manifest: ManifestTold) -> None:
        """See CarrierClient."""
        headers = {"Idempotency-Key": key}
        self._call("tell_manifest", "POST", "/manifests", json=manifest.written, headers=headers)

    def take_manifest_back(self, key: str) -> None:
        """See CarrierClient."""
        self._call("take_manifest_back", "POST", f"/manifests/{key}/reopen")

    def make_return(self, key: str, own_key: str, service: str) -> SoldReturn:
        """See CarrierClient."""
        answer = self._call(
            "make_return",
            "POST",
            f"/shipments/{key}/return",
            params={"service": service},
            headers={"Idempotency-Key": own_key},
        )
        try:
            told: dict[str, Any] = json_in(answer)
            parcel = SoldParcel(_tracking_number(told["tracking_number"]), str(told.get("routing", "")))
            return SoldReturn(_sum(told["price_minor"], least=0), parcel)
        except KeyError as error:
            raise NotBelieved(f"it does not say {error}") from error
        except NONSENSE as error:
            raise NotBelieved(str(error)[:120]) from error

    def order_packaging(self, key: str, pieces: Mapping[str, int], to: Address) -> tuple[str, date | None]:
        """See CarrierClient."""
        body = {"pieces": dict(pieces), "address": asdict(to)}
        answer = self._call("order_packaging", "POST", "/packaging-orders", json=body, headers={"Idempotency-Key": key})
        try:
            told = json_in(answer)
            arrives = date.fromisoformat(told["arrives"]) if told.get("arrives") else None
            return str(told["confirmation"])[:60], arrives
        except NONSENSE as error:
            raise NotBelieved(f"an answer that makes no sense ({type(error).__name__})") from error

    def points(self, country: str, postcode: str) -> list[Mapping[str, str]]:
        """See CarrierClient."""
        asked = {"country": country, "postcode": postcode}
        answer = self._call("points", "GET", "/points", params=asked)
        try:
            return [_texts(told) for told in json_in(answer)["points"][:MOST_POINTS]]
        except NONSENSE as error:
            raise NotBelieved(f"points that make no sense ({type(error).__name__})") from error

    def events(self, tracking_number: str) -> list[CarrierEvent]:
        """See CarrierClient."""
        answer = self._call("events", "GET", f"/tracking/{tracking_number}")
        try:
            return self._read(json_in(answer)["events"])
        except NONSENSE as error:
            raise NotBelieved(f"events that make no sense ({type(error).__name__})") from error

    def events_of(self, numbers: Sequence[str]) -> Mapping[str, Sequence[CarrierEvent]]:
        """See CarrierClient."""
        if TRACK_MANY not in self._can:
            return self._one_by_one(numbers)
        found: dict[str, list[CarrierEvent]] = {}
        for start in range(0, len(numbers), MOST_NUMBERS):
            some = list(numbers[start : start + MOST_NUMBERS])
            answer = self._call("events", "POST", "/tracking", json={"numbers": some})
            try:
                told = {str(parcel["number"]): parcel["events"] for parcel in json_in(answer)["parcels"]}
            except NONSENSE as error:
                raise NotBelieved(f"events that make no sense ({type(error).__name__})") from error
            for number in some:
                with suppress(*NONSENSE):  # nothing of it can be believed
                    found[number] = self._read(told[number])
        return found

    def wish(self, tracking_number: str, key: str, wish: Wish) -> None:
        """See CarrierClient."""
        told = {"kind": wish.kind, "day": wish.day.isoformat() if wish.day else None, "words": wish.words}
        headers = {"Idempotency-Key": key}
        answer = self._call("wish", "POST", f"/tracking/{tracking_number}/wishes", json=told, headers=headers)
        if not answer.is_success:
            raise RefusedOutside("refused", "the carrier will not do that")

    def subscribe(self, url: str) -> None:
        """See CarrierClient."""
        self._call("subscribe", "POST", "/subscriptions", json={"url": url})

    def _one_by_one(self, numbers: Sequence[str]) -> dict[str, list[CarrierEvent]]:
        found = {}
        for number in numbers:
            try:
                found[number] = self.events(number)
            except (NotBelieved, RefusedOutside):
                continue
        return found

    def _read(self, events: Sequence[dict[str, Any]]) -> list[CarrierEvent]:
        return [read_event(told, self._states) for told in events[:MOST_EVENTS]]


def _texts(told: Mapping[str, Any]) -> Mapping[str, str]:
    """Return what a carrier says of a point as the texts of a row; figures keep every digit they came with."""
    plain = {name: str(value) for name, value in told.items() if value is not None and not isinstance(value, bool)}
    scaled = {"heaviest_g": ("heaviest_kg", 1000), "longest_mm": ("longest_cm", 10)}
    for name, (known_as, scale) in scaled.items():
        if figure := int(told.get(name) or 0):
            plain[known_as] = f"{figure // scale}.{figure % scale:0{len(str(scale)) - 1}}"
    return plain | {"full": "yes" if told.get("full") is True else ""}


def _unless_unknown(refusal: RefusedOutside) -> None:
    """Let it pass that nothing is known under a key.  Raises the refusal where it is about anything else."""
    if refusal.reason != "unknown_key":
        raise refusal


def _introduction(told: dict[str, Any], offered: dict[str, Any]) -> Introduction:
    """Read what a carrier says of itself.  Raises ValueError, KeyError or TypeError for what is not the protocol."""
    protocol, who = told["protocol"], told["carrier"]
    if protocol["name"] != PROTOCOL or str(protocol["version"]).partition(".")[0] != MAJOR:
        raise ValueError(f"it speaks {protocol['name']} {protocol['version']}, not {PROTOCOL} {MAJOR}")
    if not _CODE.fullmatch(str(who["code"])):
        raise ValueError(f"{who['code']!r:.40} is no code")
    name = _one_line(who["name"], 80)
    states = {str(code)[:40]: str(state) for code, state in told["states"].items()}
    for state in states.values():
        meaning_of(state)
    cards = tuple(dict(card) for card in offered["cards"])
    if not name or len(states) > MOST_CODES or len(cards) > MOST_CARDS:
        raise ValueError("no name, or more codes or cards than can be")
    monogram = _one_line(who.get("monogram", name[:2]), 2).upper()
    return Introduction(
        str(who["code"]),
        name,
        monogram,
        bool(who.get("latin_only")),
        frozenset(map(str, told["can"])),
        states,
        cards,
        tuple(_service(one) for one in told.get("services", [])[:MOST_CODES]),
    )


def _service(told: dict[str, Any]) -> AskedService:
    """Read a service that is named without a price.  Raises ValueError, KeyError or TypeError."""
    code, name = _one_line(told["code"], 40), _one_line(told["name"], 80)
    low, high = (int(day) for day in told.get("days", USUAL_DAYS))
    cutoff = time.fromisoformat(str(told.get("cutoff", "16:00")))
    return AskedService(code, name, (low, high), int(told.get("max_g", USUAL_MAX_G)), f"{cutoff:%H:%M}")


def read_event(told: Mapping[str, Any], states: Mapping[str, str]) -> CarrierEvent:
    """Read an event by what its carrier's codes mean; one whose time has no zone could be at any hour.

    Raises ValueError, KeyError or TypeError.
    """
    meaning = states.get(str(told["code"])[:40], "")
    state, reason = meaning_of(meaning) if meaning else (None, "")
    at = datetime.fromisoformat(told["at"])
    if at.tzinfo is None:
        raise ValueError("a time without a zone")
    return CarrierEvent(
        at,
        state,
        _one_line(told["words"], 200),
        _one_line(told.get("spot", ""), 120),
        _one_line(str(told["code"]), 40),
        reason,
        _one_line(told.get("id", ""), 80),
        _one_line(told.get("takes_back", ""), 80),
    )


def _one_line(told: Any, most: int) -> str:
    """Return a text as it can be kept and shown: one line, no control characters, so many characters at most."""
    if not isinstance(told, str):
        raise TypeError("no text")
    return " ".join("".join(c if c.isprintable() else " " for c in told).split())[:most]


_LONGEST_HOLD_S = 24 * 3600


def _answer(answer: httpx.Response, now: datetime) -> LiveAnswer:
    """Read quotes; what makes no sense is no answer at all, since a price that is wrong is worse than none."""
    try:
        body: dict[str, Any] = json_in(answer)
        holds = min(max(int(body["holds_seconds"]), 0), _LONGEST_HOLD_S)
        prices = {
            str(code)[:30]: LivePrice(
                tuple((str(ln["code"])[:30], str(ln["name"])[:80], _sum(ln["amount_minor"])) for ln in told["lines"]),
                int(told["billable_g"]),
                _sum(told["tax_minor"]),
                _sum(told["published_minor"]),
            )
            for code, told in body["prices"].items()
        }
        for price in prices.values():
            _sum(sum(amount for _, _, amount in price.lines), least=0)
        refusals = {str(code)[:30]: str(words)[:200] for code, words in body["refusals"].items()}
        return LiveAnswer(now, now + timedelta(seconds=holds), prices, refusals)
    except NONSENSE as error:
        raise MaybeDone("an answer that makes no sense") from error


def _sum(value: Any, least: int = -10_000_000) -> int:
    if isinstance(value, bool) or not isinstance(value, int) or not least <= value <= 10_000_000:
        raise ValueError("not an amount in minor units")
    return value


_VOID_STATES: dict[str, Literal["pending", "refunded", "refused"]] = {
    "pending": "pending",
    "refunded": "refunded",
    "refused": "refused",
}


def _void(answer: httpx.Response) -> VoidAnswer:
    try:
        told: dict[str, Any] = json_in(answer)
        return VoidAnswer(_VOID_STATES[told["state"]], str(told.get("words", ""))[:300])
    except NONSENSE as error:
        raise MaybeDone("an answer that makes no sense") from error


_NUMBER = re.compile(r"[0-9A-Za-z][0-9A-Za-z ./-]{3,39}")
_NOTHING = frozenset({"none", "null", "undefined", "n/a"})


def _tracking_number(told: Any) -> str:
    """Return a tracking number as it can be written on a label.  Raises ValueError for what is none."""
    if not isinstance(told, str) or not _NUMBER.fullmatch(told) or told.lower() in _NOTHING:
        raise ValueError(f"{told!r:.60} is no tracking number")
    return told


def _sold(answer: httpx.Response) -> Sold:
    """Read an answer; one that cannot be true stands for work that may have been done.  Raises NotBelieved."""
    try:
        body: dict[str, Any] = json_in(answer)
        told = body["shipment"] if answer.status_code == 409 else body
        parcels = tuple(
            SoldParcel(_tracking_number(p["tracking_number"]), str(p.get("routing", ""))) for p in told["parcels"]
        )
        return Sold(_sum(told["price_minor"], least=0), parcels)
    except KeyError as error:
        raise NotBelieved(f"it does not say {error}") from error
    except NONSENSE as error:
        raise NotBelieved(str(error)[:120]) from error
