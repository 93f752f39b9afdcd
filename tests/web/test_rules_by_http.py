"""Rule scenarios through the HTTP API as the documents show them, and input that means harm."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any

import httpx
import pytest

from tests.web.who_may import sign_in
from tidewind.settings import ROOT

Ask = Callable[..., httpx.Response]
VISEU = {"name": "B. Amorim", "street": "Rua da Nogueira 14", "postcode": "3500-108", "city": "Viseu", "country": "PT"}
AZORES = {**VISEU, "postcode": "9500-321", "city": "Ponta Delgada"}


@pytest.fixture
def ask(base_url: str) -> Iterator[Ask]:
    with httpx.Client(base_url=base_url, timeout=30) as client:
        headers = sign_in(client, "ines")

        def asked(method: str, path: str, **body: Any) -> httpx.Response:
            return client.request(method, path, headers=headers, **body)

        yield asked


def rule(do: list[dict[str, Any]], when: dict[str, Any] | None = None, name: str = "r") -> dict[str, Any]:
    return {"id": name, "name": name, "when": when or {"all": []}, "do": do}


def tried(
    ask: Ask, rules: list[dict[str, Any]] | None, address: dict[str, str] = VISEU, **order: Any
) -> dict[str, Any]:
    body = {
        "order": {"address": address, "lines": [{"sku": "TP-18", "quantity": 2, "unit_price_minor": 4_800}], **order},
        "rules": rules,
    }
    answer = ask("POST", "/api/plans/try", json=body)
    assert answer.status_code == 200, answer.text
    made: dict[str, Any] = answer.json()
    return made


def at_least(minor: int) -> dict[str, Any]:
    return {"fact": "value", "test": "at_least", "to": minor}


def test_an_order_described_is_planned_by_proposed_rules_and_stored_nowhere(ask: Ask) -> None:
    before = ask("GET", "/api/orders").json()["counts"]
    sign = [{"set": "add_extra", "to": "signature"}]
    assert tried(ask, [rule(sign, at_least(9_600))])["extras"] == ["signature"]
    assert tried(ask, [rule(sign, at_least(9_601))])["extras"] == []
    night = tried(ask, [], promise="Express next day")
    assert (night["service"], night["trail"]["service"][-1]["layer"]) == ("bp-night", "promise link")
    sea = rule([{"set": "service", "to": "bp-sea"}], {"fact": "destination", "test": "is_any_of", "to": ["islands"]})
    island = tried(ask, [sea], AZORES, promise="Express next day", promise_date="2026-11-24")
    assert (island["service"], {s["code"] for s in island["snags"]}) == ("bp-sea", {"promise_missed"})
    assert [s["layer"] for s in island["trail"]["service"]] == ["shop default", "promise link", "rule"]
    assert tried(ask, [rule([{"set": "split", "to": {"by": "quantity", "most": 1}}])])["parcels"][1]["contents"] == [
        [1, 1]
    ]
    stopped = tried(ask, [rule([{"set": "service", "to": "bp-sea"}])])
    assert (stopped["stopped"], stopped["price_minor"], stopped["service"]) == (True, None, None)
    assert ask("GET", "/api/orders").json()["counts"] == before


def test_rules_switched_on_change_waiting_orders_and_leave_what_was_set_by_hand(ask: Ask) -> None:
    made = ask("POST", "/api/orders", json={"address": VISEU, "lines": [{"sku": "TP-18", "quantity": 2}]}).json()
    order_id = made["row"]["id"]
    ask("PATCH", f"/api/orders/{order_id}/hand", json={"service": "bp-road"})
    now = ask("GET", "/api/rules").json()
    rules = [
        *now["rules"],
        rule(
            [{"set": "service", "to": "bp-night"}, {"set": "desk", "to": "South"}, {"set": "hold", "to": "stock"}],
            {"fact": "city", "test": "is", "to": "viseu"},
            "south",
        ),
    ]
    would = ask("POST", "/api/rules/rehearse", json={"rules": rules}).json()["rehearsal"]
    assert made["row"]["number"] in would["matched"]["south"]
    saved = ask("PUT", "/api/rules", json={"base_version": now["version"], "rules": rules}).json()
    assert (saved["work"]["state"], int(saved["work"]["result"])) == ("done", would["changed"])
    sheet = ask("GET", f"/api/orders/{order_id}").json()
    assert (sheet["row"]["service"], sheet["row"]["desk"], sheet["row"]["state"], sheet["row"]["state_why"]) == (
        "bp-road",
        "South",
        "held",
        "stock",
    )
    assert [s["layer"] for s in sheet["trail"]["service"]][-2:] == ["rule", "by hand"]
    ask("POST", "/api/orders/held", json={"order_ids": [order_id], "held": False})
    assert (
        ask("GET", f"/api/orders/{order_id}").json()["row"]["state"] == "open"
    )  # taken back by a person, and it stays
    late = ask("PUT", "/api/rules", json={"base_version": now["version"], "rules": []})
    assert (late.status_code, late.json()["code"]) == (409, "rules_changed")
    back = ask("POST", f"/api/rules/versions/{now['version']}/restore").json()
    assert back["version"] > saved["version"]
    assert ask("GET", f"/api/orders/{order_id}").json()["row"]["desk"] == ""
    named = ask(
        "PUT", "/api/rules", json={"base_version": back["version"], "rules": [rule([{"set": "recipe", "to": "gone"}])]}
    )
    assert (named.status_code, named.json()["code"]) == (422, "bad_rules")


def test_defaults_are_rehearsed_and_serve_destination_groups(ask: Ask) -> None:
    wanted = {
        "policy": "fastest",
        "group_services": {"islands": "bp-sea"},
        "packaging_by_weight": False,
        "use_precedents": True,
    }
    would = ask("POST", "/api/layers/shop-defaults/rehearse", json=wanted).json()
    assert (would["changed"] > 5, would["after_minor"] > would["before_minor"]) == (True, True)
    assert ask("PUT", "/api/layers/shop-defaults", json=wanted).json()["result"] == str(would["changed"])
    assert tried(ask, [], AZORES)["service"] == "bp-sea"
    assert ask("PUT", "/api/layers/shop-defaults", json={**wanted, "group_services": {"moon": "x"}}).status_code == 422
    layers = ask("GET", "/api/layers").json()
    assert layers["touched"]["shop default"] > 40


def test_every_route_that_the_documents_name_is_there(ask: Ask) -> None:
    paths = ask("GET", "/api/openapi.json").json()["paths"]
    known = [re.compile("^" + re.sub(r"\{\w+\}", "[^/]+", path) + "$") for path in paths]
    said = re.findall(r"\$SHOP(/api/[\w./-]+)", (ROOT / "docs" / "api.md").read_text("utf-8"))
    assert len(said) > 15
    for path in said:
        assert path == "/api/openapi.json" or any(pattern.match(path) for pattern in known), path


def test_input_that_means_harm_is_refused_or_kept_harmless(ask: Ask) -> None:
    deep = (
        '{"rules": [{"id": "a", "name": "A", "do": [{"set": "stop"}], "when": '
        + '{"not": ' * 3_000
        + "{}"
        + "}" * 3_000
        + "}]}"
    )
    for body in (deep, "[" * 100_000, '{"rules": ' + "9" * 400 + "}", '{"rules": [{"id": 1e999}]}'):
        answer = ask("POST", "/api/rules/words", content=body.encode())
        assert answer.status_code == 422, answer.text[:200]
        assert answer.json()["detail"]
    city = ask("POST", "/api/orders", json={"address": {**VISEU, "city": "x" * 5_000}, "lines": [{"sku": "HF-02"}]})
    assert (city.status_code, "address.city" in city.json()["fields"]) == (422, True)
    odd = {**VISEU, "name": "<script>alert(1)</script>\u202e\u200bgro.live", "company": "=HYPERLINK(1)"}
    made = ask("POST", "/api/orders", json={"address": odd, "lines": [{"sku": "HF-02", "quantity": 1}]}).json()
    assert (
        made["address"]["name"] == "<script>alert(1)</script>gro.live"
    )  # text, shown as text; nothing turned or hidden
    contact = ask("POST", "/api/contacts", json={"address": odd, "code": "@X"}).json()
    assert b"'@X,<script>" in ask("GET", "/api/contacts/file?kind=csv").content
    assert b"'=HYPERLINK(1)" in ask("GET", "/api/contacts/file?kind=csv").content
    assert ask("DELETE", f"/api/contacts/{contact['id']}").status_code == 204
    for path in (
        "/api/orders?view=open&sort=x",
        "/api/orders?after=%00",
        "/api/orders?colour=red",
        "/api/find?text=%00",
    ):
        assert ask("GET", path).status_code in {200, 422}, path
    forged = ask("POST", "/api/hooks/tallyfair", content=b"x" * 200_000)
    assert (forged.status_code, forged.json()["code"]) == (422, "too_large")
    assert ask("POST", "/api/hooks/tallyfair", content=b"{}").json()["code"] == "bad_signature"
