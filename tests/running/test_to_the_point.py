"""A connection on which no whole request begins is closed, however busily it sends; all others are served."""

from __future__ import annotations

import json
import socket
import threading
from collections.abc import Iterator
from contextlib import suppress

import pytest
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import PlainTextResponse
from starlette.routing import Route

from tests.conftest import Served
from tidewind.running.cluster import free_port

WHOLE = b"POST / HTTP/1.1\r\nHost: localhost\r\nContent-Length: 2\r\n\r\n"


def heard(raw: socket.socket, last: bytes) -> bytes:
    """Return what comes until something was said, or the connection ends."""
    said = b""
    while last not in said and (more := raw.recv(4000)):
        said += more
    return said


@pytest.fixture
def port(monkeypatch: pytest.MonkeyPatch) -> Iterator[int]:
    monkeypatch.setattr("tidewind.running.to_the_point.HEADERS_S", 0.5)

    async def echo(request: Request) -> PlainTextResponse:
        return PlainTextResponse(await request.body())

    served = Served(Starlette(routes=[Route("/", echo, methods=["POST"])]), found := free_port())
    yield found
    served.stop()


@pytest.mark.parametrize(
    ("at_once", "drop", "answers"),
    [
        pytest.param(b"", b"", 0, id="nothing at all"),
        pytest.param(b"", b"X", 0, id="a name of a method that never ends"),
        pytest.param(b"GET / HTTP/1.1\r\nHost: localhost\r\n", b"A: b\r\n", 0, id="headers without an end"),
        pytest.param(WHOLE + b"ok", b"Y", 1, id="a good request, and then a slow one"),
        pytest.param((WHOLE + b"ok") * 2, b"Z", 2, id="two at once, and then a slow one"),
    ],
)
def test_who_does_not_come_to_the_point_is_let_go(port: int, at_once: bytes, drop: bytes, answers: int) -> None:
    with socket.create_connection(("127.0.0.1", port), timeout=15) as raw:
        raw.sendall(at_once)
        gone = threading.Event()

        def dribble() -> None:
            with suppress(OSError):
                while drop and not gone.wait(0.1):
                    raw.sendall(drop)

        dribbles = threading.Thread(target=dribble)
        dribbles.start()
        said = b""
        with suppress(ConnectionResetError):
            while more := raw.recv(4000):  # ends, since the connection is closed behind what was served
                said += more
        gone.set()
        dribbles.join()
    assert said.count(b"200 OK") == answers


@pytest.mark.parametrize(
    "sent",
    [
        pytest.param(b"GET /" + b"x" * 3_000_000 + b" HTTP/1.1\r\n\r\n", id="an address of 3 MB"),
        pytest.param(b"GET / HTTP/1.1\r\n" + b"A: b\r\n" * 100_000, id="headers of 600 kB"),
        pytest.param(b"\x16\x03\x01" + b"\x00" * 600_000, id="TLS where there is none"),
        pytest.param(b"GET / HTTP/1.1\r\nno colon\r\n\r\n", id="a header without a colon"),
    ],
)
def test_what_is_no_request_is_told_so_even_to_who_is_still_sending(port: int, sent: bytes) -> None:
    with socket.create_connection(("127.0.0.1", port), timeout=15) as raw:
        raw.sendall(sent)
        said = heard(raw, b"there is no such end")
    head, _, body = said.partition(b"\r\n\r\n")
    assert head.startswith(b"HTTP/1.1 400")
    assert b"application/problem+json" in head
    assert json.loads(body)["code"] == "no_request"


def test_a_slow_body_and_a_quiet_connection_are_not_its_affair(port: int) -> None:
    with socket.create_connection(("127.0.0.1", port), timeout=15) as raw:
        for part in (WHOLE, b"o"):
            raw.sendall(part)
            with pytest.raises(TimeoutError):  # longer than headers may take
                raw.settimeout(0.8)
                raw.recv(1)
        raw.settimeout(15)
        raw.sendall(b"k")
        assert heard(raw, b"\r\n\r\nok").startswith(b"HTTP/1.1 200 OK")
        with pytest.raises(TimeoutError):
            raw.settimeout(0.8)
            raw.recv(1)
        raw.settimeout(15)
        raw.sendall(WHOLE + b"on")
        assert heard(raw, b"\r\n\r\non").startswith(b"HTTP/1.1 200 OK")
