"""The HTTP API: who may do what, problems in words, hostile input refused with nothing lost."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

import httpx
import pytest

from tests.conftest import Clock
from tests.run.length import LONG
from tests.web.who_may import BODIES, MAY, OPEN, in_person, sign_in
from tidewind.db.tables.people import ROLES
from tidewind.services.buying import buy_shipment
from tidewind.services.people import make_key
from tidewind.settings import DEMO_PASSWORD
from tidewind.web.access import ROOMS, Wiring


@pytest.fixture
def client(base_url: str) -> Iterator[httpx.Client]:
    with httpx.Client(base_url=base_url, timeout=20) as made:
        yield made


def status(client: httpx.Client, route: str, headers: dict[str, str]) -> int:
    method, path = route.split()
    query = {
        "/api/cover/declarations": "?since=2026-11-01&until=2026-11-30",
        "/api/find": "?text=x",
        "/api/labels.pdf": "?shipment=0",
        "/api/packing-slips.pdf": "?shipment=0",
    }.get(path, "")
    url = re.sub(r"\{\w+\}", "0", path) + query
    with client.stream(method, url, json=BODIES.get(route), headers=headers) as answer:
        return answer.status_code


def opens_to_people_alone(document: dict[str, Any], route: str) -> bool:
    method, path = route.split()
    tags = document["paths"][path][method.lower()]["tags"]
    return "people" in tags or ("sign-in" in tags and method != "GET")


@pytest.mark.slow("every route as every role")
def test_every_route_is_walked_by_every_role(client: httpx.Client, wiring: Wiring, document: dict[str, Any]) -> None:
    routes = {f"{method.upper()} {path}" for path, methods in document["paths"].items() for method in methods}
    assert routes == OPEN | MAY.keys()
    keys, in_the_flesh = {}, {}
    with wiring.sessions.begin() as session:
        for role in ROLES:
            keys[role] = {"Authorization": f"Bearer {make_key(session, 1, role, role)[1]}"}
            in_the_flesh[role] = in_person(session, role, wiring.clock())
    nobody = [{}, {"Authorization": "Bearer tw_wrong"}]
    for n, (route, roles) in enumerate(MAY.items()):
        for headers in nobody if LONG else nobody[n % 2 :][:1]:
            assert status(client, route, headers) == 401, route
        # In a short run: one who may, and one who may not, others each time.
        mine = [ROLES, [sorted(roles)[n % len(roles)], *sorted({*ROLES} - roles)[:1]]][not LONG]
        for role in mine:
            for_people = opens_to_people_alone(document, route)
            if for_people:
                assert status(client, route, keys[role]) == 403, (route, role)
            code = status(client, route, in_the_flesh[role] if for_people else keys[role])
            assert (code == 403) is (role not in roles), (route, role, code)
            assert code < 500, (route, role, code)


def test_a_key_for_one_room_opens_that_room_alone(
    client: httpx.Client, wiring: Wiring, document: dict[str, Any]
) -> None:
    tags = {tag for methods in document["paths"].values() for one in methods.values() for tag in one.get("tags", ())}
    assert set().union(*ROOMS.values()) <= tags, "each names tags that there are"
    inside = {
        "orders": "/api/orders",
        "labels": "/api/batches",
        "handover": "/api/departures",
        "following": "/api/returns",
    }
    assert inside.keys() == ROOMS.keys()
    for room in ROOMS:
        with wiring.sessions.begin() as session:
            _, key = make_key(session, 1, room, "shipper", scope=room)
        headers = {"Authorization": f"Bearer {key}"}
        found = {other: client.get(path, headers=headers).status_code for other, path in inside.items()}
        assert found == {other: 200 if other == room else 403 for other in inside}
        for outside in ("/api/money", "/api/shop", "/api/people", "/api/me"):
            assert client.get(outside, headers=headers).status_code == 403


def test_sessions_need_the_form_token_and_end(client: httpx.Client) -> None:
    headers = sign_in(client, "tome")
    cookie = client.cookies.jar
    assert all(c.has_nonstandard_attr("HttpOnly") for c in cookie)
    body = {"order_ids": [1], "held": True}
    assert client.post("/api/orders/held", json=body).json()["code"] == "csrf"
    assert client.post("/api/orders/held", json=body, headers={"X-CSRF-Token": "wrong"}).status_code == 403
    assert client.post("/api/sign-out", headers=headers).status_code == 204
    assert client.get("/api/me").json()["code"] == "not_signed_in"


def test_sessions_run_out(client: httpx.Client, clock: Clock) -> None:
    sign_in(client, "tome")
    clock.move(hours=13)
    assert client.get("/api/me").status_code == 200
    clock.move(hours=2)
    assert client.get("/api/me").status_code == 401


def test_guessing_is_slowed_down_and_does_not_tell_which_logins_exist(client: httpx.Client, clock: Clock) -> None:
    wrong = [client.post("/api/sign-in", json={"login": who, "password": "nothing"}) for who in ("ines", "nobody") * 5]
    assert {(a.status_code, a.json()["detail"]) for a in wrong} == {
        (401, "That login and password do not go together.")
    }
    for who in ("ines", "nobody"):
        slow = client.post("/api/sign-in", json={"login": who, "password": DEMO_PASSWORD})
        assert (slow.status_code, 0 < int(slow.headers["Retry-After"]) <= 6) == (429, True)
    assert client.post("/api/sign-in", json={"login": "tome", "password": DEMO_PASSWORD}).status_code == 200
    clock.move(minutes=11)
    assert client.post("/api/sign-in", json={"login": "ines", "password": DEMO_PASSWORD}).status_code == 200


def test_problems_are_problem_details_with_words(client: httpx.Client) -> None:
    headers = sign_in(client, "ines")
    for answer, code in (
        (client.get("/api/orders/99999"), "unknown_order"),
        (client.get("/api/orders?view=nonsense"), "unknown_view"),
        (client.get("/api/orders?limit=100000"), "invalid_input"),
        (client.patch("/api/orders/1/hand", json={"colour": "red"}, headers=headers), "invalid_input"),
        (client.patch("/api/products/GC-01/facts", json={"weight_g": -5}, headers=headers), "invalid_input"),
        (client.post("/api/purchases", content=b"{" * 5000, headers=headers), "invalid_input"),
        (
            client.post("/api/money/top-up", json={"amount_minor": 50, "key": "12345678"}, headers=headers),
            "top_up_amount",
        ),
        (client.post("/api/places", json={"name": "Tile works", "address": {}}, headers=headers), "address"),
        (client.get("/api/labels.pdf?shipment=1"), "unknown_shipment"),
        (client.get("/api/nothing-here"), "http"),
    ):
        assert answer.headers["content-type"] == "application/problem+json", answer.text
        assert (answer.json()["code"], bool(answer.json()["detail"])) == (code, True)


def test_a_top_up_with_the_same_key_counts_once(client: httpx.Client) -> None:
    headers = sign_in(client, "ines")
    for _ in range(2):
        answer = client.post("/api/money/top-up", json={"amount_minor": 5000, "key": "same-key-1"}, headers=headers)
        assert answer.json()["available_minor"] == 65_000


def test_a_200_mb_upload_is_refused_before_it_is_read(client: httpx.Client, base_url: str) -> None:
    import socket

    headers = sign_in(client, "tome")
    port = int(base_url.rsplit(":", 1)[1])
    cookie = "; ".join(f"{c.name}={c.value}" for c in client.cookies.jar)
    with socket.create_connection(("127.0.0.1", port), timeout=10) as raw:
        raw.sendall(
            f"POST /api/imports HTTP/1.1\r\nHost: localhost\r\nCookie: {cookie}\r\nX-CSRF-Token: {headers['X-CSRF-Token']}\r\n"
            "Content-Type: multipart/form-data; boundary=b\r\nContent-Length: 200000000\r\n\r\n--b\r\n".encode()
        )
        said = ""
        while "Split what you send" not in said and (
            more := raw.recv(4000)
        ):  # not one further byte of the 200 MB was sent
            said += more.decode()
    assert " 413 " in said.splitlines()[0]
    assert "At most 20 MB can be sent here" in said

    def endless() -> Iterator[bytes]:  # no length is declared, so the body itself must be cut off while it is read
        yield b'--b\r\nContent-Disposition: form-data; name="file"; filename="big.csv"\r\n\r\n'
        for _ in range(210):
            yield b"x" * 1_000_000
        yield b"\r\n--b--\r\n"

    kind = {"Content-Type": "multipart/form-data; boundary=b"}
    try:
        answer = client.post("/api/imports", content=endless(), headers={**headers, **kind})
        assert answer.status_code == 413
    except httpx.WriteError:
        pass  # the server hung up on the flood, which is a refusal too


def test_strangers_may_send_little_nobody_slowly_and_the_host_must_be_ours(
    client: httpx.Client, base_url: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Refusals of the door itself, before anything else is asked."""
    import socket

    monkeypatch.setattr("tidewind.web.shield.PATIENCE_S", 0.3)
    large = {"login": "ines", "password": "x" * 70_000}
    refused = client.post("/api/sign-in", json=large)
    assert (refused.status_code, refused.json()["code"], "64 kB" in refused.json()["detail"]) == (
        413,
        "too_large",
        True,
    )
    headers = sign_in(client, "ines")
    assert (
        client.post("/api/sign-in", json=large).status_code == 422
    )  # who is in may send more, which then is looked at
    assert (
        client.post("/api/quote", json={"x": "y" * 2_100_000}, headers=headers)
        .json()["detail"]
        .startswith("At most 2 MB")
    )
    for host in ("evil.example", "evil.example:80", "127.0.0.1.evil.example", "", "[::2]:80"):
        told = client.get("/api/start", headers={"Host": host})
        assert (told.status_code, told.headers["content-type"]) == (421, "application/problem+json"), host
    for host in ("localhost", "LOCALHOST:1", "127.0.0.1:8480", "[::1]:80", "shop.test"):
        assert client.get("/api/start", headers={"Host": host}).status_code == 200, host
    with socket.create_connection(("127.0.0.1", int(base_url.rsplit(":", 1)[1])), timeout=10) as raw:
        raw.sendall(
            b"POST /api/sign-in HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nContent-Length: 40\r\n\r\n{"
        )
        said = b""
        while more := raw.recv(4000):  # the connection is closed behind it
            said += more
    assert said.startswith(b"HTTP/1.1 408")
    assert b"too_slow" in said
    me = client.get("/api/me")
    assert (me.headers["cache-control"], client.get("/api/openapi.json").headers["cache-control"]) == ("no-store",) * 2
    wrong = client.put("/api/quote", headers=headers)
    assert (wrong.status_code, wrong.headers["allow"], wrong.headers["content-type"]) == (
        405,
        "POST",
        "application/problem+json",
    )


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "is empty"),
        (",".join(["x"] * 300).encode(), "300 columns"),
        (b"PK\x03\x04broken", "no readable workbook"),
    ],
)
def test_bad_files_get_words(client: httpx.Client, data: bytes, words: str) -> None:
    headers = sign_in(client, "tome")
    answer = client.post("/api/imports", files={"file": ("bad.csv", data)}, headers=headers)
    assert answer.status_code == 422
    assert words in answer.json()["detail"]


def test_hostile_text_is_kept_as_text(client: httpx.Client) -> None:
    headers = sign_in(client, "tome")
    rows = "order,name,street,city,country,sku,quantity\n"
    rows += "X-1,<script>alert(1)</script>,=1+1,\u202eaebé\u200b,PT,HF-02,1\nX-2,Ana,Rua 1,Beja,PT,HF-02,1\n" * 1
    made = client.post("/api/imports", files={"file": ("x.csv", rows.encode())}, headers=headers).json()
    assert client.post(f"/api/imports/{made['id']}/run", headers=headers).json()["made"] == 2
    found = client.get("/api/find?text=X-1").json()[0]
    assert (found["recipient"], found["city"]) == ("<script>alert(1)</script>", "aebé")
    page = client.get("/api/find?text=X-1")
    assert page.headers["x-content-type-options"] == "nosniff"
    assert "default-src 'self'" in page.headers["content-security-policy"]


def test_the_main_job_over_http_alone(client: httpx.Client, wiring: Wiring) -> None:
    """Everything the screens do can be done by a script with a key."""
    headers = sign_in(client, "ines")
    key = client.post("/api/keys", json={"name": "nightly", "role": "shipper"}, headers=headers).json()
    client.cookies.clear()
    script = {"Authorization": f"Bearer {key['key']}"}
    sample = client.get("/api/import-samples/clean", headers=script).content
    made = client.post("/api/imports", files={"file": ("clean.csv", sample)}, headers=script).json()
    assert (made["good"], made["missing"], made["faults"]) == (4, [], [])
    assert client.post(f"/api/imports/{made['id']}/run", headers=script).json()["made"] == 4
    row = client.get("/api/find?text=GC-3104", headers=script).json()[0]
    compared = client.get(f"/api/orders/{row['id']}/compare", headers=script).json()
    assert compared["chosen"] in {c["service"] for c in compared["cells"] if c["quote"]}
    assert all((c["quote"] is None) is (c["refused"] is not None) for c in compared["cells"])
    wish = {"order_id": row["id"], "shown_minor": row["price_minor"]}
    asked = client.post("/api/purchases", json={"client_key": "script-1", "orders": [wish]}, headers=script).json()
    assert asked["taken"] == [row["id"]]
    batch = client.get(f"/api/batches/{asked['batch_id']}", headers=script).json()
    assert (batch["buying"], batch["total_minor"]) == (1, 0)
    shipment_id = batch["shipments"][0]["id"]
    pdf = f"/api/labels.pdf?shipment={shipment_id}"
    assert client.get(pdf, headers=script).json()["code"] == "not_bought"
    buy_shipment(wiring.sessions, wiring.outside, shipment_id, wiring.clock)
    sheet = client.get(f"/api/orders/{row['id']}", headers=script).json()
    assert sheet["margin"]["cost_minor"] == row["price_minor"]
    care = sign_in(client, "rute")
    assert client.get(f"/api/orders/{row['id']}", headers=care).json()["margin"] is None
    client.cookies.clear()
    assert client.get(pdf, headers=script).content.startswith(b"%PDF")
    health = client.get("/api/health")
    assert (health.status_code, health.json()["parts"]["database"]["ok"]) == (503, True)  # no worker runs in this test
    assert health.json()["parts"]["worker"]["ok"] is False
    assert client.delete(f"/api/keys/{key['id']}", headers={**sign_in(client, "ines")}).status_code == 204
    client.cookies.clear()
    assert client.get("/api/me", headers=script).status_code == 401


def test_a_page_that_many_share_names_everybody_but_oneself(client: httpx.Client) -> None:
    tome = sign_in(client, "tome")
    listed = client.get("/api/orders?view=open").json()
    mine, theirs = (row["id"] for row in listed["orders"][:2])
    assert (listed["matching"], listed["more"]) == (listed["counts"]["open"], False)
    beyond = client.post("/api/presence", json={"order_ids": [mine, 2**40]}, headers=tome)
    assert (beyond.status_code, beyond.json()["code"]) == (422, "invalid_input")  # no number of an order is so long
    client.post("/api/presence", json={"order_ids": [mine]}, headers=tome).raise_for_status()
    ines = sign_in(client, "ines")
    client.post("/api/presence", json={"order_ids": [theirs]}, headers=ines).raise_for_status()
    for login, sees in (("ines", {mine: "Tomé"}), ("tome", {theirs: "Inês"}), ("rute", {mine: "Tomé", theirs: "Inês"})):
        sign_in(client, login)
        rows = client.get("/api/orders?view=open").json()["orders"]
        assert {r["id"]: r["held_by"].split()[0] for r in rows if r["held_by"]} == sees
        assert [{**r, "held_by": None} for r in rows] == listed["orders"]


def test_what_is_wrong_with_a_field_is_said_in_plain_words(client: httpx.Client) -> None:
    headers = sign_in(client, "ines")
    for method, path, body, field, words in (
        (
            "POST",
            "/api/matrix",
            {"order_ids": list(range(20_001))},
            "order_ids",
            "at most 20000 at once, here are more",
        ),
        ("POST", "/api/matrix", {"order_ids": []}, "order_ids", "at least 1, here are 0"),
        ("POST", "/api/matrix", {"order_ids": ["x"]}, "order_ids.0", "must be a whole number"),
        ("POST", "/api/orders/held", {"order_ids": [1]}, "held", "is missing"),
        ("POST", "/api/money/top-up", {"amount_minor": 0, "key": "12345678"}, "amount_minor", "must be more than 0"),
        ("POST", "/api/money/top-up", {"amount_minor": 5, "key": "1"}, "key", "at least 8 characters"),
        ("PATCH", "/api/carriers/brightmile", {"active": True, "x": 1}, "x", "is not known here"),
        (
            "PUT",
            "/api/cover",
            {"insurer": "A", "per_step": 1, "step": 1, "most_value": 1, "not_covered": ["x"]},
            "not_covered.0",
            "must be one of 'lithium', 'limited_quantity', 'dry_ice' or 'dangerous'",
        ),
    ):
        answer = client.request(method, path, json=body, headers=headers)
        assert answer.status_code == 422, (path, answer.text)
        assert answer.json()["fields"] == {field: words}


def test_figures_have_a_token_of_their_own_and_faults_a_number_that_the_log_has(
    client: httpx.Client, wiring: Wiring, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert client.get("/metrics").status_code == 404  # without a setting there is nothing
    monkeypatch.setattr(wiring.settings, "metrics_token", "a-long-token")
    assert client.get("/metrics", headers={"Authorization": "Bearer another"}).status_code == 404
    client.get("/api/health")
    figures = client.get("/metrics", headers={"Authorization": "Bearer a-long-token"})
    counted = [line for line in figures.text.splitlines() if line.startswith("tidewind_requests_total")]
    assert any('route="/api/health"' in line for line in counted), figures.text[:2_000]
    assert not re.search(r"larkspur|@|Rua ", figures.text)

    def broken(*_args: object) -> None:
        raise RuntimeError("Rua das Flores 99 is nobody's business")

    monkeypatch.setattr("tidewind.web.base.routes.parts_health", broken)
    told = client.get("/api/health")
    number = told.headers["x-request-id"]
    assert (told.status_code, told.json()["code"], told.json()["fields"]) == (500, "fault", {"request": number})
    assert "Rua das Flores" not in told.text
