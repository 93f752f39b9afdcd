"""Faults planted into services that speak the protocols, as strangers make them; the checks never see this module."""

from __future__ import annotations

import itertools
import json
from collections.abc import Callable
from typing import Any

import httpx
from starlette.types import ASGIApp, Message, Receive, Scope, Send

Answer = tuple[int, Any]
Fault = Callable[[str, str, dict[str, str], Any, Answer, "Planted"], Answer]


class Planted:
    """An adapter behind which one fault changes answers on their way out, or requests on their way in."""

    def __init__(self, app: ASGIApp, fault: Fault, before: Callable[[dict[str, str]], None] | None = None) -> None:
        self.app, self.fault, self.before = app, fault, before
        self.serial, self.kept = itertools.count(1), dict[str, Any]()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = {name.decode(): value.decode() for name, value in scope["headers"]}
        if self.before:
            self.before(headers)
            scope = {**scope, "headers": [(n.encode(), v.encode()) for n, v in headers.items()]}
        body = b""
        more = True
        while more:
            message = await receive()
            body += message.get("body", b"")
            more = message.get("more_body", False)
        status, said = await self._ask(scope, body)
        try:
            asked = json.loads(body) if body else None
        except ValueError:
            asked = None
        status, said = self.fault(scope["method"], scope["path"], headers, asked, (status, said), self)
        out = json.dumps(said).encode()
        await send(
            {"type": "http.response.start", "status": status, "headers": [(b"content-type", b"application/json")]}
        )
        await send({"type": "http.response.body", "body": out})

    async def _ask(self, scope: Scope, body: bytes) -> Answer:
        found: dict[str, Any] = {"body": b""}

        async def receive() -> Message:
            return {"type": "http.request", "body": body, "more_body": False}

        async def send(message: Message) -> None:
            found["status"] = message.get("status", found.get("status"))
            found["body"] += message.get("body", b"")

        await self.app(scope, receive, send)
        return found["status"], json.loads(found["body"])


def _new_key_each_time() -> Callable[[dict[str, str]], None]:
    serial = itertools.count(1)

    def change(headers: dict[str, str]) -> None:
        if "idempotency-key" in headers:
            headers["idempotency-key"] += f"-{next(serial)}"

    return change


def _on_sale(change: Callable[[dict[str, Any]], dict[str, Any]]) -> Fault:
    def fault(method: str, path: str, _headers: dict[str, str], _asked: Any, answer: Answer, _me: Planted) -> Answer:
        status, said = answer
        sale = status in {200, 201} and "parcels" in said
        return (status, change(said)) if sale else answer

    return fault


def _as_it_is(*given: Any) -> Answer:
    return given[4]  # type: ignore[no-any-return]


def _cancelled_is_found(method: str, path: str, _h: dict[str, str], _a: Any, answer: Answer, me: Planted) -> Answer:
    if method == "GET" and path.startswith("/shipments/"):
        if answer[0] == 200:
            me.kept[path] = answer[1]
        elif path in me.kept or "last" in me.kept:
            return 200, me.kept.get(path, me.kept["last"])
    if answer[0] == 201:
        me.kept["last"] = answer[1]
    return answer


def _cancelled_is_sold(method: str, path: str, _h: dict[str, str], asked: Any, answer: Answer, me: Planted) -> Answer:
    if answer[0] == 201:
        me.kept["sale"] = answer[1]
    if answer[0] == 422 and answer[1].get("reason") == "cancelled" and "sale" in me.kept:
        return 201, {**me.kept["sale"], "parcels": [{"tracking_number": f"HL9{next(me.serial):06d}", "routing": ""}]}
    return answer


def _anybody_may(method: str, path: str, _h: dict[str, str], _a: Any, answer: Answer, _me: Planted) -> Answer:
    return answer


def _let_in(headers: dict[str, str]) -> None:
    headers["authorization"] = "Bearer shop-key"


def _unknown_is_null(method: str, path: str, _h: dict[str, str], _a: Any, answer: Answer, _me: Planted) -> Answer:
    return (200, None) if answer[0] == 404 and path.startswith("/shipments/") else answer


def _nonsense_breaks(method: str, path: str, _h: dict[str, str], _a: Any, answer: Answer, _me: Planted) -> Answer:
    unreadable = answer[0] == 422 and answer[1].get("reason") == "unreadable"
    return (500, {"error": "NoneType"}) if unreadable else answer


def _times_without_offset(method: str, path: str, _h: dict[str, str], _a: Any, answer: Answer, _me: Planted) -> Answer:
    if answer[0] == 200 and path.startswith("/tracking/"):
        return 200, {"events": [{**e, "at": e["at"][:19]} for e in answer[1]["events"]]}
    return answer


def _secret_codes(method: str, path: str, _h: dict[str, str], _a: Any, answer: Answer, _me: Planted) -> Answer:
    if answer[0] == 200 and path.startswith("/tracking/"):
        return 200, {"events": [{**e, "code": "Q7"} for e in answer[1]["events"]]}
    return answer


def _strict(method: str, path: str, _h: dict[str, str], asked: Any, answer: Answer, _me: Planted) -> Answer:
    if isinstance(asked, dict) and "a_later_version" in asked:
        return 422, {"reason": "unknown_field", "detail": "a_later_version"}
    return answer


def _no_reason(method: str, path: str, _h: dict[str, str], _a: Any, answer: Answer, _me: Planted) -> Answer:
    return (answer[0], {"error": True}) if answer[0] == 422 else answer


FAULTS: dict[str, tuple[Fault, Callable[[dict[str, str]], None] | None, str]] = {
    "every request sells anew": (_as_it_is, _new_key_each_time(), "first answer again"),
    "money as a decimal": (_on_sale(lambda s: {**s, "price_minor": s["price_minor"] / 100}), None, "sells a label"),
    "money as text": (_on_sale(lambda s: {**s, "price_minor": "4.50"}), None, "sells a label"),
    "a sale without a number": (_on_sale(lambda s: {**s, "parcels": []}), None, "sells a label"),
    "one number for all": (
        _on_sale(lambda s: {**s, "parcels": [{"tracking_number": "HL1", "routing": ""}]}),
        None,
        "sells a label",
    ),
    "the same number for every parcel": (
        _on_sale(lambda s: {**s, "parcels": [{"tracking_number": "HL100001", "routing": ""}]}),
        None,
        "number of its own",
    ),
    "finds what was taken back": (_cancelled_is_found, None, "finds it no more"),
    "sells what was taken back": (_cancelled_is_sold, None, "never sells"),
    "lets anybody in": (_anybody_may, _let_in, "wrong key"),
    "null for an unknown key": (_unknown_is_null, None, "key it never saw"),
    "breaks on nonsense": (_nonsense_breaks, None, "makes no sense"),
    "times without an offset": (_times_without_offset, None, "events"),
    "codes that nobody explained": (_secret_codes, None, "events"),
    "refuses what it does not know": (_strict, None, "fields that it does not know"),
    "refuses without a reason": (_no_reason, None, "refuses"),
}
"""By name: what it does to answers, what to requests, and words of the check that must find it."""


def _on_vans(change: Callable[[str, Answer], Answer]) -> Fault:
    def fault(method: str, path: str, _h: dict[str, str], _a: Any, answer: Answer, _me: Planted) -> Answer:
        return change(method, answer) if "/pickups" in path else answer

    return fault


def _still_booked(method: str, answer: Answer) -> Answer:
    taken_back = method == "GET" and answer[0] == 200 and answer[1]["state"] == "cancelled"
    return (200, {**answer[1], "state": "booked"}) if taken_back else answer


VAN_FAULTS: dict[str, tuple[Fault, Callable[[dict[str, str]], None] | None, str]] = {
    "every request books anew": (_as_it_is, _new_key_each_time(), "van"),
    "a fee as a decimal": (
        _on_vans(lambda _m, a: (a[0], {**a[1], "fee_minor": 4.2}) if "fee_minor" in a[1] else a),
        None,
        "books a van",
    ),
    "a van that is not taken back": (_on_vans(_still_booked), None, "takes a van back"),
    "an unknown van is null": (_on_vans(lambda _m, a: (200, None) if a[0] == 404 else a), None, "finds the van"),
}
"""As ``FAULTS``, for what is said of vans."""


def _orders(change: Callable[[dict[str, Any]], dict[str, Any]]) -> Fault:
    """Change pages of orders; the first order of each page is at hand as ``page["orders"][0]``."""

    def fault(method: str, path: str, _h: dict[str, str], _a: Any, answer: Answer, _me: Planted) -> Answer:
        pages = answer[0] == 200 and path.endswith("/orders")
        return (200, change(answer[1])) if pages and answer[1]["orders"] else answer

    return fault


def _more_forever(method: str, path: str, _h: dict[str, str], _a: Any, answer: Answer, me: Planted) -> Answer:
    pages = answer[0] == 200 and path.endswith("/orders")
    return (200, {**answer[1], "more": True}) if pages else answer


def _each(**more: Any) -> Fault:
    return _orders(lambda page: {**page, "orders": [{**order, **more} for order in page["orders"]]})


def _lost_between(method: str, path: str, _h: dict[str, str], _a: Any, answer: Answer, me: Planted) -> Answer:
    if answer[0] == 200 and path.endswith("/orders") and answer[1]["more"]:
        return 200, {**answer[1], "orders": answer[1]["orders"][:-1]}
    return answer


def _strange_cursor_is_empty(
    method: str, path: str, _h: dict[str, str], _a: Any, answer: Answer, _m: Planted
) -> Answer:
    lost = answer[0] == 422 and path.endswith("/orders")
    return (200, {"orders": [], "cursor": "0", "more": False}) if lost else answer


def _news_once(method: str, path: str, _h: dict[str, str], asked: Any, answer: Answer, me: Planted) -> Answer:
    if path.endswith("/news") and answer[0] == 200 and path in me.kept:
        return 422, {"reason": "heard_before", "detail": "this was told before"}
    me.kept[path] = True
    return answer


def _news_of_nothing(method: str, path: str, _h: dict[str, str], _a: Any, answer: Answer, _me: Planted) -> Answer:
    return (200, {"kept": True}) if path.endswith("/news") and answer[0] == 404 else answer


def _forged_notice(method: str, path: str, _h: dict[str, str], asked: Any, answer: Answer, _me: Planted) -> Answer:
    if path.endswith("/hook") and asked["url"]:
        forged = {"webhook-id": "1", "webhook-timestamp": "1790000000", "webhook-signature": "v1,bm8="}
        httpx.post(asked["url"], content=b"{}", headers=forged)
    return answer


def _store_key(headers: dict[str, str]) -> None:
    headers["authorization"] = "Bearer larkspur-store-key"


def _any_article(method: str, path: str, _h: dict[str, str], _a: Any, answer: Answer, _me: Planted) -> Answer:
    return (200, {"unknown": []}) if (method, path.endswith("/stock")) == ("PUT", True) else answer


CHANNEL_FAULTS: dict[str, tuple[Fault, Callable[[dict[str, str]], None] | None, str]] = {
    "loses one between two pages": (_lost_between, None, "leaves nothing out"),
    "more for ever": (_more_forever, None, "to an end"),
    "the cursor stands still": (_orders(lambda page: {**page, "cursor": "0", "more": True}), None, "to an end"),
    "money as a decimal": (_each(lines=[{"sku": "A", "name": "A", "quantity": 1, "unit_price_minor": 9.5}]), None, "orders"),
    "a quantity of nothing": (_each(lines=[{"sku": "A", "name": "A", "quantity": 0, "unit_price_minor": 9}]), None, "orders"),
    "no lines": (_each(lines=[]), None, "orders"),
    "a country by its name": (
        _each(recipient={"name": "A", "street": "B 1", "city": "C", "country": "Portugal"}), None, "orders"
    ),
    "times without an offset": (_each(placed_at="2026-11-23T10:00:00"), None, "their offset"),
    "a state that nobody explained": (_each(state="limbo"), None, "words"),
    "a strange cursor gives nothing": (_strange_cursor_is_empty, None, "cursors that it never gave"),
    "news are heard once": (_news_once, None, "news twice"),
    "news of nothing are welcome": (_news_of_nothing, None, "does not have"),
    "lets anybody in": (_anybody_may, _store_key, "wrong key"),
    "has any article": (_any_article, None, "levels of stock"),
    "a forged notice": (_forged_notice, None, "signs its notices"),
}  # fmt: skip
