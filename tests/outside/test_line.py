"""Calls over real sockets: whoever drips is given up in time, and a name that leads elsewhere meanwhile is not followed."""

from __future__ import annotations

import contextlib
import socket
import threading
import time
from collections.abc import Iterator
from typing import Any

import httpx
import pytest

from tidewind.outside import addresses
from tidewind.outside.errors import MaybeDone, NeverSent, RefusedOutside
from tidewind.outside.http import call, client_at

HEAD = b"HTTP/1.1 200 OK\r\nContent-Type: application/json\r\nContent-Length: 400\r\n\r\n"
PATIENCE_S = 0.4


@contextlib.contextmanager
def peer(pieces: list[bytes], pause_s: float) -> Iterator[tuple[int, list[bytes]]]:
    """Answer each connection piece by piece with a pause before each; give the port, and what was sent so far."""
    sent: list[bytes] = []
    door = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        with contextlib.suppress(OSError):
            while True:
                line, _ = door.accept()
                with line, contextlib.suppress(OSError):
                    while line.recv(65_536):  # as many questions as come on one connection
                        for piece in pieces:
                            time.sleep(pause_s)
                            line.sendall(piece)
                            sent.append(piece)

    threading.Thread(target=serve, daemon=True).start()
    try:
        yield door.getsockname()[1], sent
    finally:
        door.close()


def drops(data: bytes) -> list[bytes]:
    return [data[n : n + 1] for n in range(len(data))]


@pytest.mark.parametrize("pieces", [drops(HEAD), [HEAD, *drops(b"x" * 400)]], ids=["its head", "its body"])
def test_whoever_drips_is_given_up_within_the_time_of_a_call(pieces: list[bytes]) -> None:
    """Each drop comes in time; all of them together never would."""
    with (
        peer(pieces, PATIENCE_S / 4) as (port, sent),
        client_at(f"http://127.0.0.1:{port}", timeout=PATIENCE_S) as client,
    ):
        with pytest.raises(MaybeDone, match="no answer in time"):
            call(client, "GET", "/")
        assert 1 < len(sent) < len(pieces) / 2


def test_what_comes_in_time_is_read_whole_and_the_connection_serves_again() -> None:
    whole = HEAD.replace(b"400", b"4") + b"true"
    with peer([whole], 0.0) as (port, _), client_at(f"http://localhost:{port}", timeout=5) as client:
        assert [call(client, "GET", "/").json() for _ in range(3)] == [True] * 3


@pytest.mark.parametrize(
    ("place", "private", "error"),
    [("10.1.2.3", False, RefusedOutside), ("169.254.169.254", False, RefusedOutside), ("", False, NeverSent),
     ("192.0.2.1", True, NeverSent)],
)  # fmt: skip
def test_a_name_is_judged_where_it_leads_as_the_line_is_opened(
    monkeypatch: pytest.MonkeyPatch, place: str, private: bool, error: type[Exception]
) -> None:
    tried = []

    def look_up(_host: str, port: int, **_more: Any) -> list[Any]:
        if not place:
            raise socket.gaierror("no such host")
        return [(socket.AF_INET, socket.SOCK_STREAM, 6, "", (place, port))]

    def connect(where: tuple[str, int], *_: Any, **__: Any) -> socket.socket:
        tried.append(where[0])
        raise OSError("nobody there")

    monkeypatch.setattr(addresses.socket, "getaddrinfo", look_up)
    monkeypatch.setattr(socket, "create_connection", connect)
    with client_at("http://carrier.example", private=private, timeout=httpx.Timeout(1)) as client, pytest.raises(error):
        call(client, "GET", "/")
    assert tried == ([place] if private else []), "only what was judged is called, and by the address that was judged"
