"""Public over https, cookies are bound to the host and browsers told to come by no other way; over http neither."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tests.run.in_process import client_of
from tidewind.app import make_app
from tidewind.settings import DEMO_PASSWORD
from tidewind.web.access import Wiring


@pytest.mark.parametrize(
    ("public_url", "secure_cookie", "over_tls"),
    [("https://shop.test", False, True), ("http://shop.test", True, True), ("http://shop.test", False, False)],
)
def test_a_session_over_tls_and_without(wiring: Wiring, public_url: str, secure_cookie: bool, over_tls: bool) -> None:
    settings = wiring.settings.model_copy(update={"public_url": public_url, "secure_cookie": secure_cookie})
    name = "__Host-tidewind_session" if over_tls else "tidewind_session"
    host = "https://shop.test" if over_tls else "http://shop.test"
    app = make_app(replace(wiring, settings=settings))
    with client_of(app, host) as client, client_of(app, host) as elsewhere:
        came_in = client.post("/api/sign-in", json={"login": "ines", "password": DEMO_PASSWORD})
        assert came_in.status_code == 200, came_in.text
        given = [line for line in came_in.headers.get_list("set-cookie") if line.startswith(name)]
        assert len(given) == 1
        assert ("Secure" in given[0]) is over_tls
        assert {"HttpOnly", "Path=/", "SameSite=lax"} <= set(given[0].split("; "))
        assert ("strict-transport-security" in came_in.headers) is over_tls
        assert client.get("/api/me").json()["role"] == "owner"

        # A neighbour of the domain can set the plain name, never the bound one.
        stolen = client.cookies[name]
        other = "tidewind_session" if over_tls else "__Host-tidewind_session"
        assert elsewhere.get("/api/me", headers={"Cookie": f"{other}={stolen}"}).status_code == 401

        csrf = came_in.json()["csrf_token"]
        assert client.post("/api/sign-out", headers={"X-CSRF-Token": csrf}).status_code == 204
        assert client.get("/api/me").status_code == 401
