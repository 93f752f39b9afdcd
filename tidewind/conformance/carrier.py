"""Puts a service to the test that says it speaks the carrier protocol (docs/protocols/carrier.yaml)."""

from __future__ import annotations

import copy
import json
import secrets
import socket
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from tidewind.conformance.fetching import Fetching
from tidewind.conformance.protocol import Document, NotTried, Outcome, Service, Wrong, run


@dataclass
class _Known:
    """What earlier checks have found out: a purchase that is taken, and what it was answered."""

    states: frozenset[str] = frozenset()
    can: frozenset[str] = frozenset()
    service: str = ""
    purchase: dict[str, Any] = field(default_factory=dict)
    key: str = ""
    sold: dict[str, Any] = field(default_factory=dict)


def check_carrier(
    url: str, key: str, document: Path, day: date, *, service: str = "", country: str = "", postcode: str = "1000-001"
) -> list[Outcome]:
    """Try a service and return the outcomes; real labels are bought from it and taken back.

    ``service`` and ``country`` say what to buy where its rate cards do not; ``day`` is the ship date.
    """
    trying = _Trying(Service(url, Document(document), key), _Known(service=service), day, country, postcode)
    return run(trying.checks(), trying.service)


def _need(condition: object, words: str) -> None:
    if not condition:
        raise Wrong(words)


def _key() -> str:
    return f"check-{secrets.token_hex(12)}"


class _Trying:
    def __init__(self, service: Service, known: _Known, day: date, country: str, postcode: str) -> None:
        self.service, self.known, self.day, self.country, self.postcode = service, known, day, country, postcode

    def checks(self) -> list[tuple[str, Any]]:
        """All checks by name, in an order in which later ones can use what earlier ones found."""
        return [
            ("says who it is and what its codes mean", self.introduces_itself),
            ("refuses a wrong key", self.refuses_a_wrong_key),
            ("offers its rate cards", self.offers_cards),
            ("sells a label", self.sells),
            ("gives the first answer again for the same key", self.sells_once),
            ("gives the first answer again, whatever else is asked under its key", self.keeps_to_the_key),
            ("finds what it sold by its key", self.finds),
            ("sells what was asked for though nobody waited for the answer, once", self.survives_a_lost_answer),
            ("does not find a key it never saw", self.finds_nothing),
            ("gives every parcel a number of its own", self.numbers_are_its_own),
            ("sells several parcels with a number each", self.sells_several),
            ("ignores fields that it does not know", self.ignores_unknown_fields),
            ("refuses a purchase without a key", self.needs_a_key),
            ("refuses an unknown service", self.refuses_an_unknown_service),
            ("refuses what it cannot carry, with a reason", self.refuses_what_is_too_heavy),
            ("refuses a body that makes no sense, without failing", self.refuses_nonsense),
            ("takes a key back, and finds it no more", self.cancels),
            ("takes a key back twice without harm", self.cancels_twice),
            ("never sells a key that was taken back", self.never_sells_what_was_taken_back),
            ("never sells late what was taken back before it was asked for", self.never_sells_late),
            ("tells a parcel's events in codes that it explained", self.tells_events),
            ("tells the events of many parcels as those of one", self.tells_many),
            ("answers a void, and answers it again", self.voids),
            ("prices in lines of minor units", self.quotes),
            *self._fetching().checks(),
        ]

    def _fetching(self) -> Fetching:
        address = self._purchase("", self.country or "PT")["recipient"]
        return Fetching(self.service, lambda: self.known.can, self._number_sold, self.day, address)

    def _number_sold(self) -> str:
        self._something()
        return str(self.known.sold["parcels"][0]["tracking_number"])

    def _purchase(self, service: str, country: str) -> dict[str, Any]:
        postcode = self.postcode
        return {
            "consignment": {
                "route": {"country": country, "postcode": postcode, "home": True, "region": "", "po_box": False,
                          "point": "", "from_country": country, "from_postcode": postcode},
                "goods": {"value_minor": 2_000, "contents": []},
                "parcels": [{"gross_g": 500, "sides_mm": [200, 150, 100], "packaging": None, "not_stackable": False}],
                "extras": [],
            },
            "ship_date": self.day.isoformat(), "account": "", "service": service, "bill_to": "", "expected_minor": 0,
            "recipient": {"name": "Ana Check", "company": "", "street": "Rua do Sol 4", "extra": "", "city": "Lisboa",
                          "region": "", "postcode": postcode, "country": country, "phone": "", "email": ""},
            "reference": "CHECK-1",
        }  # fmt: skip

    def _buy(self, key: str, body: dict[str, Any]) -> tuple[int, dict[str, Any]]:
        status, told = self.service.ask("buy", "POST", "/shipments", body=body, headers={"Idempotency-Key": key})
        return status, told["shipment"] if status == 409 else told

    def _sold(self, key: str, body: dict[str, Any]) -> dict[str, Any]:
        status, told = self._buy(key, body)
        _need(status < 300, f"refused: {told.get('reason')}, {told.get('detail')}")
        wanted, got = len(body["consignment"]["parcels"]), len(told["parcels"])
        _need(got == wanted, f"{got} numbers for {wanted} parcels")
        return told

    def _something(self) -> dict[str, Any]:
        if not self.known.purchase:
            raise NotTried("nothing could be bought")
        return copy.deepcopy(self.known.purchase)

    def introduces_itself(self) -> None:
        _, told = self.service.ask("capabilities", "GET", "/capabilities")
        self.known.states, self.known.can = frozenset(told["states"]), frozenset(told["can"])

    def refuses_a_wrong_key(self) -> None:
        status, _ = self.service.ask("capabilities", "GET", "/capabilities", key="no key of yours")
        _need(status == 401, f"answered {status} to a key that it never gave")

    def offers_cards(self) -> None:
        _, told = self.service.ask("cards", "GET", "/cards")
        if not told["cards"] and not self.known.service:
            raise NotTried("it offers none; name a service with --service and a country with --country")

    def _point(self, country: str) -> str:
        """Return a shop or locker to send to, where the carrier has such."""
        if "points" not in self.known.can:
            return ""
        query = f"/points?country={country}&postcode={self.postcode}"
        status, told = self.service.ask("points", "GET", query)
        _need(status == 200 and told["points"], "says that it has points, and names none")
        return str(told["points"][0]["code"])

    def sells(self) -> None:
        _, told = self.service.ask("cards", "GET", "/cards")
        offered = [(s["code"], card["country"]) for card in told["cards"] for s in card["services"]]
        if self.known.service:
            offered = [(self.known.service, self.country)]
        words = "it offers no service"
        for service, country in offered:
            key, wanted = _key(), self._purchase(service, self.country or country)
            wanted["consignment"]["route"]["point"] = self._point(self.country or country)
            status, answer = self._buy(key, wanted)
            if status < 300 or status == 409:
                self.known.purchase, self.known.key, self.known.sold = wanted, key, answer
                self._sold(key, wanted)
                return
            words = f"{service}: {answer.get('detail')}"
        raise Wrong(f"nothing it offers takes 500 g within its own country; the last words were {words}")

    def sells_once(self) -> None:
        again = self._sold(self.known.key, self._something())
        _need(again == self.known.sold, "the same key got another answer: that is a second label")

    def keeps_to_the_key(self) -> None:
        other = self._something()
        other["consignment"]["parcels"][0]["gross_g"] = 900
        status, told = self._buy(self.known.key, other)
        _need(status >= 400 or told == self.known.sold, "other goods under the same key were sold anew")

    def finds(self) -> None:
        self._something()
        status, told = self.service.ask("find", "GET", f"/shipments/{self.known.key}")
        _need(status == 200 and told == self.known.sold, "finds something else than it sold")

    def survives_a_lost_answer(self) -> None:
        key, wanted = _key(), self._something()
        self._hang_up(key, wanted)
        first = self._sold(key, wanted)
        _, found = self.service.ask("find", "GET", f"/shipments/{key}")
        _need(found == first, "after a lost answer the repeated request got another label than is found")

    def _hang_up(self, key: str, wanted: dict[str, Any]) -> None:
        """Send a purchase and go away before it is answered; only for plain HTTP, where that can be done by hand."""
        parts = urlsplit(self.service.url)
        if parts.scheme != "http":
            return
        body = json.dumps(wanted).encode()
        head = {
            "Host": parts.netloc,
            "Idempotency-Key": key,
            "Authorization": f"Bearer {self.service.key}",
            "Content-Type": "application/json",
            "Content-Length": str(len(body)),
        }
        lines = [
            f"POST {parts.path.rstrip('/')}/shipments HTTP/1.1",
            *(f"{name}: {said}" for name, said in head.items()),
        ]
        with socket.create_connection((parts.hostname or "", parts.port or 80), timeout=5) as line:
            line.sendall("\r\n".join(lines).encode() + b"\r\n\r\n" + body)

    def finds_nothing(self) -> None:
        status, _ = self.service.ask("find", "GET", f"/shipments/{_key()}")
        _need(status == 404, f"answered {status} for a key that it never saw")

    def numbers_are_its_own(self) -> None:
        seen = {p["tracking_number"] for p in self.known.sold.get("parcels", ())}
        for _ in range(3):
            told = self._sold(_key(), self._something())
            numbers = {p["tracking_number"] for p in told["parcels"]}
            _need(not numbers & seen, f"{', '.join(numbers & seen)} was given twice")
            seen |= numbers

    def sells_several(self) -> None:
        wanted = self._something()
        wanted["consignment"]["parcels"] *= 3
        status, told = self._buy(_key(), wanted)
        if status == 422:
            raise NotTried(f"it takes one parcel a shipment: {told['detail']}")
        numbers = [p["tracking_number"] for p in told["parcels"]]
        _need(len(numbers) == 3, f"{len(numbers)} numbers for 3 parcels")
        _need(len(set(numbers)) == 3, "the same number on two parcels")

    def ignores_unknown_fields(self) -> None:
        wanted = self._something()
        wanted["a_later_version"] = {"says": "more"}
        wanted["consignment"]["a_later_version"] = [1]
        self._sold(_key(), wanted)

    def needs_a_key(self) -> None:
        status, _ = self.service.ask("buy", "POST", "/shipments", body=self._something())
        _need(status in {400, 422}, f"answered {status} to a purchase without a key")

    def refuses_an_unknown_service(self) -> None:
        status, _ = self._buy(_key(), {**self._something(), "service": "no-such-service"})
        _need(status == 422, f"answered {status} for a service that it does not have")

    def refuses_what_is_too_heavy(self) -> None:
        wanted = self._something()
        wanted["consignment"]["parcels"][0]["gross_g"] = 5_000_000
        status, _ = self._buy(_key(), wanted)
        _need(status == 422, f"answered {status} for a parcel of five tonnes")

    def refuses_nonsense(self) -> None:
        for raw in (b"{", b"[]", b'{"consignment": 7}', b'{"consignment": {"route": null}, "service": []}'):
            status, _ = self.service.ask("buy", "POST", "/shipments", raw=raw, headers={"Idempotency-Key": _key()})
            _need(400 <= status < 500, f"answered {status} to {raw.decode()}")

    def _cancelled(self) -> tuple[str, dict[str, Any]]:
        key, wanted = _key(), self._something()
        self._sold(key, wanted)
        self.service.ask("cancel", "POST", f"/shipments/{key}/cancel")
        return key, wanted

    def cancels(self) -> None:
        key, _ = self._cancelled()
        status, _ = self.service.ask("find", "GET", f"/shipments/{key}")
        _need(status == 404, "finds what was taken back")

    def cancels_twice(self) -> None:
        key, _ = self._cancelled()
        status, _ = self.service.ask("cancel", "POST", f"/shipments/{key}/cancel")
        _need(status == 200, f"answered {status} when asked to take the key back once more")

    def never_sells_what_was_taken_back(self) -> None:
        key, wanted = self._cancelled()
        status, _ = self._buy(key, wanted)
        _need(status == 422, "sold a key that had been taken back")

    def never_sells_late(self) -> None:
        key, wanted = _key(), self._something()
        status, _ = self.service.ask("cancel", "POST", f"/shipments/{key}/cancel")
        _need(status == 200, f"answered {status} when a key was taken back before it came")
        status, _ = self._buy(key, wanted)
        _need(status == 422, "sold a key that had been taken back before it came")

    def tells_events(self) -> None:
        self._something()
        number = self.known.sold["parcels"][0]["tracking_number"]
        status, told = self.service.ask("events", "GET", f"/tracking/{number}")
        _need(status == 200, "knows nothing of a parcel that it sold")
        times = []
        for event in told["events"]:
            _need(event["code"] in self.known.states, f"the code {event['code']} is not among those it explained")
            at = datetime.fromisoformat(event["at"].replace("Z", "+00:00"))
            _need(at.tzinfo, f"{event['at']} has no offset: it could be at any hour")
            times.append(at)
        _need(times == sorted(times), "the events are not in the order of their times")

    def tells_many(self) -> None:
        if "track_many" not in self.known.can:
            raise NotTried("it says that it is asked one by one")
        self._something()
        number = self.known.sold["parcels"][0]["tracking_number"]
        _, one = self.service.ask("events", "GET", f"/tracking/{number}")
        status, told = self.service.ask(
            "eventsOfMany", "POST", "/tracking", body={"numbers": [number, "no such number"]}
        )
        _need(status == 200, f"answered {status} to a question about two parcels, of which it sold one")
        _need(len(told["parcels"]) == 1, "tells something of a number that it never gave")
        _need(told["parcels"][0]["events"] == one["events"], "tells other events of many than of one")

    def voids(self) -> None:
        if "void" not in self.known.can:
            raise NotTried("it says that it takes no voids")
        key, wanted = _key(), self._something()
        self._sold(key, wanted)
        for _ in range(2):
            status, told = self.service.ask("void", "POST", f"/shipments/{key}/void")
            _need(status == 200, f"answered {status} to the void of a label just bought: {told.get('detail')}")
        status, _ = self.service.ask("voidState", "GET", f"/shipments/{key}/void")
        _need(status == 200, "knows nothing of a void that it took")

    def quotes(self) -> None:
        if "quote" not in self.known.can:
            raise NotTried("it says that it is not asked for prices")
        wanted = self._something()
        later = (self.day + timedelta(days=1)).isoformat()
        question = {"consignment": wanted["consignment"], "ship_date": later}
        status, told = self.service.ask("quote", "POST", "/quotes", body=question)
        _need(status == 200, "does not answer what a parcel costs that it sells")
        service = wanted["service"]
        _need(service in told["prices"] or service in told["refusals"], f"says nothing of {service}, which it sells")
