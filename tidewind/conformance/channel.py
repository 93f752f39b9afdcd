"""Puts a service to the test that says it speaks the channel protocol (docs/protocols/channel.yaml)."""

from __future__ import annotations

import base64
import hashlib
import hmac
from collections import Counter
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any
from urllib.parse import quote

from tidewind.conformance.listening import Listener
from tidewind.conformance.protocol import ANSWER_WITHIN_S, Document, NotTried, Outcome, Service, Wrong, run

MOST_PAGES = 2_000


def check_channel(url: str, key: str, document: Path) -> list[Outcome]:
    """Try a service and return the outcomes; one of its orders is told to be withdrawn, which changes nothing of it."""
    trying = _Trying(Service(url, Document(document), key))
    return run(trying.checks(), trying.service)


def _need(condition: object, words: str) -> None:
    if not condition:
        raise Wrong(words)


class _Trying:
    def __init__(self, service: Service) -> None:
        self.service = service
        self.states: frozenset[str] = frozenset()
        self.payments: frozenset[str] = frozenset()
        self.can: frozenset[str] = frozenset()
        self.pages: list[tuple[str, dict[str, Any]]] = []

    def checks(self) -> list[tuple[str, Callable[[], None]]]:
        """All checks by name, in an order in which later ones can use what earlier ones found."""
        return [
            ("says who it is and what its words mean", self.introduces_itself),
            ("refuses a wrong key", self.refuses_a_wrong_key),
            ("hands out its orders page by page, to an end", self.hands_out_orders),
            ("gives the same page again for the same cursor", self.same_page_again),
            ("has nothing more behind its last cursor", self.nothing_behind_the_end),
            ("leaves nothing out between two pages", self.counts_agree),
            ("uses only the words that it explained", self.words_are_explained),
            ("says times with their offset", self.times_have_an_offset),
            ("does not know cursors that it never gave", self.refuses_a_strange_cursor),
            ("hears the same news twice", self.hears_news_twice),
            ("refuses news of an order that it does not have", self.refuses_news_of_nothing),
            ("refuses news that make no sense, without failing", self.refuses_nonsense),
            ("ignores fields that it does not know", self.ignores_unknown_fields),
            ("keeps the levels of stock that it is told", self.keeps_levels),
            ("signs its notices with the key", self.signs_notices),
        ]

    def _page(self, after: str) -> dict[str, Any]:
        query = f"?after={quote(after, safe='')}" if after else ""
        status, told = self.service.ask("orders", "GET", f"/orders{query}")
        _need(status == 200, f"answered {status} to a cursor of its own")
        return dict(told)

    def _all(self) -> dict[str, dict[str, Any]]:
        if not self.pages:
            raise NotTried("its orders could not be read")
        return {order["number"]: order for _, page in self.pages for order in page["orders"]}

    def introduces_itself(self) -> None:
        _, told = self.service.ask("capabilities", "GET", "/capabilities")
        self.can = frozenset(told.get("can", []))
        self.states, self.payments = frozenset(told["states"]), frozenset(told["payments"])

    def refuses_a_wrong_key(self) -> None:
        for operation, path in (("capabilities", "/capabilities"), ("orders", "/orders")):
            status, _ = self.service.ask(operation, "GET", path, key="no key of yours")
            _need(status == 401, f"answered {status} to a key that it never gave")

    def hands_out_orders(self) -> None:
        pages: list[tuple[str, dict[str, Any]]] = []
        cursor = ""
        while len(pages) < MOST_PAGES:
            page = self._page(cursor)
            pages.append((cursor, page))
            if not page["more"]:
                self.pages = pages
                return
            _need(page["cursor"] != cursor, "says that there is more, and gives the cursor that it was asked with")
            cursor = page["cursor"]
        raise Wrong(f"more than {MOST_PAGES} pages: the cursors go round in a circle")

    def same_page_again(self) -> None:
        self._all()
        cursor, first = self.pages[len(self.pages) // 2]
        again = self._page(cursor)
        missing = {o["number"] for o in first["orders"]} - {o["number"] for o in again["orders"]}
        _need(not missing, f"{', '.join(sorted(missing)[:3])} did not come again")

    def nothing_behind_the_end(self) -> None:
        self._all()
        last = self.pages[-1][1]["cursor"]
        page = self._page(last)
        known = self._all()
        fresh = [o["number"] for o in page["orders"] if o["number"] not in known]
        _need(not fresh, f"{', '.join(fresh[:3])} came only behind the end")
        _need(not page["more"], "says that there is more behind its end")

    def counts_agree(self) -> None:
        orders = self._all().values()
        _, told = self.service.ask("counts", "GET", "/counts")
        for part, field in (("states", "state"), ("payments", "payment")):
            mine, theirs = Counter(order[field] for order in orders), {k: n for k, n in told[part].items() if n}
            _need(dict(mine) == theirs, f"counts {theirs} by {field}, and hands out {dict(mine)}")

    def words_are_explained(self) -> None:
        orders = self._all().values()
        for used, known, kind in (
            ({o["state"] for o in orders}, self.states, "state"),
            ({o["payment"] for o in orders}, self.payments, "payment"),
        ):
            _need(used <= known, f"the {kind} {', '.join(sorted(used - known))} is not among those it explained")

    def times_have_an_offset(self) -> None:
        for order in self._all().values():
            at = datetime.fromisoformat(order["placed_at"].replace("Z", "+00:00"))
            _need(at.tzinfo, f"{order['number']}: {order['placed_at']} has no offset, it could be at any hour")

    def refuses_a_strange_cursor(self) -> None:
        status, told = self.service.ask("orders", "GET", "/orders?after=never%20handed%20out")
        _need(
            status == 422 or told.get("orders"), "answered a strange cursor with nothing, which loses orders silently"
        )

    def _order(self) -> str:
        orders = self._all()
        if not orders:
            raise NotTried("it has no order")
        return quote(next(iter(orders)), safe="")

    def _tell(self, number: str, **more: Any) -> int:
        body = {"kind": "withdrawn", "carrier": "", "tracking_numbers": ["CHECK-1"], "tracking_url": "", **more}
        return self.service.ask("tell", "POST", f"/orders/{number}/news", body=body)[0]

    def hears_news_twice(self) -> None:
        number = self._order()
        for _ in range(2):
            status = self._tell(number)
            _need(status == 200, f"answered {status} to news of an order that it has")

    def refuses_news_of_nothing(self) -> None:
        status = self._tell("no-such-order-anywhere")
        _need(status == 404, f"answered {status} to news of an order that it does not have")

    def refuses_nonsense(self) -> None:
        path = f"/orders/{self._order()}/news"
        for raw in (b"{", b"[]", b'{"kind": 7}', b'{"kind": "eaten"}'):
            status, _ = self.service.ask("tell", "POST", path, raw=raw)
            _need(400 <= status < 500, f"answered {status} to {raw.decode()}")

    def ignores_unknown_fields(self) -> None:
        status = self._tell(self._order(), a_later_version={"says": "more"})
        _need(status == 200, f"answered {status} to news with a field that it does not know")

    def keeps_levels(self) -> None:
        if "stock" not in self.can:
            raise NotTried("it knows no levels of stock")
        _, before = self.service.ask("levels", "GET", "/stock")
        _need(isinstance(before, dict), "handed out no levels")
        levels = before["levels"]
        told = [{"sku": level["sku"], "pieces": level["pieces"]} for level in levels[:3]]
        odd = {"sku": "no such article 0815", "pieces": 1}
        for _ in range(2):
            status, said = self.service.ask("tell_levels", "PUT", "/stock", body={"levels": [*told, odd]})
            _need(status == 200, f"answered {status} to levels that it has handed out itself")
            _need(said["unknown"] == [odd["sku"]], "did not name the one article that it cannot have")
        _, after = self.service.ask("levels", "GET", "/stock")
        _need(after["levels"] == levels, "has other levels after it was told those that it has")
        if levels:
            _, rest = self.service.ask("levels", "GET", f"/stock?after={quote(before['cursor'], safe='')}")
            _need(levels[0] not in rest["levels"], "handed out the same levels behind the cursor again")

    def signs_notices(self) -> None:
        if "hook" not in self.can:
            raise NotTried("it sends no notices")
        with Listener() as listener:
            self.service.ask("hook", "PUT", "/hook", body={"url": listener.url})
            heard = listener.heard(ANSWER_WITHIN_S)
            self.service.ask("hook", "PUT", "/hook", body={"url": None})
        _need(heard, "sent no notice when it was told where they go")
        for headers, body in heard:
            given, at, sent = (headers.get(f"webhook-{part}", "") for part in ("id", "timestamp", "signature"))
            _need(given and at.isdigit(), "sent a notice without webhook-id or webhook-timestamp")
            mac = hmac.new(self.service.key.encode(), f"{given}.{at}.".encode() + body, hashlib.sha256).digest()
            genuine = f"v1,{base64.b64encode(mac).decode()}"
            _need(genuine in sent.split(" "), "sent a notice whose signature is not made with the key")
