"""The chapters of the carrier protocol about handing over, put to the test: vans and closed lists."""

from __future__ import annotations

import secrets
from collections.abc import Callable
from datetime import date, timedelta
from typing import Any

from tidewind.conformance.protocol import NotTried, Service, Wrong

LOOKED_AHEAD = 10
"""On so many days a van is tried for, since today may be too late and tomorrow a holiday."""


class Fetching:
    """Checks of pickups and manifests, for a carrier that says it can; ``number`` gives a tracking number it sold."""

    def __init__(
        self, service: Service, can: Callable[[], frozenset[str]], number: Callable[[], str], day: date, address: Any
    ) -> None:
        self.service, self._can, self._number, self.day, self.address = service, can, number, day, address
        self._booked: tuple[str, dict[str, Any], dict[str, Any]] | None = None

    def checks(self) -> list[tuple[str, Callable[[], None]]]:
        """All checks by name, in an order in which later ones can use what earlier ones found."""
        return [
            ("takes a closed list, and takes it again", self.takes_a_list),
            ("books a van", self.books),
            ("books one van for one key", self.books_once),
            ("finds the van that it booked, and none that it never saw", self.finds),
            ("refuses a van on a day that is over", self.refuses_the_past),
            ("takes a van back, twice without harm, and never sends it under that key", self.takes_back),
        ]

    def _needs(self, what: str) -> None:
        if what not in self._can():
            raise NotTried(f"it does not say that it can do “{what}”")

    def takes_a_list(self) -> None:
        """The same list under the same key is one list."""
        self._needs("manifest")
        for _ in range(2):
            self._tell("check-list-0001")

    def _tell(self, key: str) -> str:
        said = {"number": f"L-{key}", "network": self._network()[0], "day": self.day.isoformat()}
        body = {**said, "labels": [self._number()], "gross_g": 500}
        status, told = self.service.ask(
            "tellManifest", "POST", "/manifests", body=body, headers={"Idempotency-Key": key}
        )
        if status >= 300:
            raise Wrong(f"refused a list of a label that it sold: {told.get('detail')}")
        return str(said["number"])

    def _network(self) -> tuple[str, dict[str, Any]]:
        _, told = self.service.ask("cards", "GET", "/cards")
        for card in told["cards"]:
            for network in card.get("networks", ()):
                if network.get("pickup"):
                    return network["id"], network["pickup"]
        raise NotTried("none of its rate cards says when its vans come")

    def _wanted(self, day: date) -> dict[str, Any]:
        network, rules = self._network()
        opens, closes = rules.get("opens", "08:00"), rules.get("closes", "18:00")
        manifest = self._tell(f"check-{secrets.token_hex(8)}") if rules.get("manifest_first") else ""
        return {
            "network": network, "day": day.isoformat(), "start": opens, "until": closes, "address": self.address,
            "spot": "", "note": "", "contact": "Ana Check", "phone": "", "parcels": 2, "classes": {}, "gross_g": 1000,
            "heaviest_g": 500, "longest_mm": 200, "expected_minor": 0, "account": "", "manifest": manifest,
            "instead_of": "",
        }  # fmt: skip

    def _book(self, key: str, wanted: dict[str, Any]) -> tuple[int, dict[str, Any]]:
        return self.service.ask("bookPickup", "POST", "/pickups", body=wanted, headers={"Idempotency-Key": key})

    def books(self) -> None:
        """On one of the next days a van can be asked for."""
        self._needs("pickup")
        words = ""
        for ahead in range(1, LOOKED_AHEAD):
            key, wanted = f"check-{secrets.token_hex(12)}", self._wanted(self.day + timedelta(days=ahead))
            status, told = self._book(key, wanted)
            if status < 300:
                self._booked = key, wanted, told
                return
            words = told["detail"]
        raise Wrong(f"no van can be had on any of the next {LOOKED_AHEAD} days; the last words were {words}")

    def _something(self) -> tuple[str, dict[str, Any], dict[str, Any]]:
        if self._booked is None:
            raise NotTried("no van could be booked")
        return self._booked

    def books_once(self) -> None:
        """The same key gives the same answer."""
        key, wanted, first = self._something()
        _, again = self._book(key, wanted)
        if again != first:
            raise Wrong("the same key got another answer: that is a second van")

    def finds(self) -> None:
        """By its key, and no other."""
        key, _, first = self._something()
        status, told = self.service.ask("findPickup", "GET", f"/pickups/{key}")
        if status != 200 or told["confirmation"] != first["confirmation"]:
            raise Wrong("finds something else than it booked")
        status, _ = self.service.ask("findPickup", "GET", f"/pickups/check-{secrets.token_hex(12)}")
        if status != 404:
            raise Wrong(f"answered {status} for a key that it never saw")

    def refuses_the_past(self) -> None:
        """Nobody comes yesterday."""
        self._needs("pickup")
        status, _ = self._book(f"check-{secrets.token_hex(12)}", self._wanted(self.day - timedelta(days=7)))
        if status != 422:
            raise Wrong(f"answered {status} to a van for a day that is over")

    def takes_back(self) -> None:
        """Whatever comes under the key afterwards."""
        key, wanted, _ = self._something()
        for _ in range(2):
            status, _ = self.service.ask("cancelPickup", "POST", f"/pickups/{key}/cancel")
            if status != 200:
                raise Wrong(f"answered {status} when asked to take a van back")
        status, told = self.service.ask("findPickup", "GET", f"/pickups/{key}")
        if status == 200 and told["state"] != "cancelled":
            raise Wrong(f"says that a van is {told['state']} which was taken back")
        status, told = self._book(key, wanted)
        if status < 300 and told["state"] != "cancelled":
            raise Wrong("books a van under a key that was taken back")
