"""Which addresses are asked at all, and how much of an answer is read."""

from __future__ import annotations

import socket
from typing import Any

import httpx
import pytest

from tidewind.outside import http
from tidewind.outside.addresses import check_address
from tidewind.outside.errors import MaybeDone, NeverSent, OutsideError, RefusedOutside
from tidewind.outside.http_carrier import HttpCarrier

NAMES = {
    "carrier.example": ["93.184.216.34"],
    "inside.example": ["10.0.0.7"],
    "two.example": ["93.184.216.34", "192.168.1.9"],
    "self.example": ["127.0.0.1"],
    "cloud.example": ["169.254.169.254"],
    "mapped.example": ["::ffff:10.0.0.7"],
    "six.example": ["fd00::1"],
    "gone.example": [],
}


@pytest.fixture(autouse=True)
def names(monkeypatch: pytest.MonkeyPatch) -> None:
    def found(host: str, port: int, **_: Any) -> list[Any]:
        if not NAMES.get(host, [host]):
            raise socket.gaierror
        return [(0, 0, 0, "", (place, port)) for place in NAMES.get(host, [host])]

    monkeypatch.setattr(socket, "getaddrinfo", found)


@pytest.mark.parametrize(
    "url", ["https://carrier.example/x", "http://127.0.0.1:8000", "http://self.example", "http://[::1]/"]
)
def test_the_open_internet_is_asked_by_https_and_this_machine_by_http(url: str) -> None:
    check_address(url)


REFUSED = {
    "http://carrier.example": "only https",
    "https://inside.example": "private network",
    "https://two.example": "private network",
    "https://cloud.example": "private network",
    "https://mapped.example": "private network",
    "https://six.example": "private network",
    "https://0.0.0.0": "private network",
    "ftp://carrier.example": "begins with https",
    "file:///etc/passwd": "begins with https",
    "https://": "names a host",
    "https://a:b@carrier.example": "leave name and password out",
    "https://carrier.example:99999": "a port that is none",
}


@pytest.mark.parametrize(("url", "words"), REFUSED.items())
def test_what_must_not_be_asked_is_refused_in_words(url: str, words: str) -> None:
    with pytest.raises(RefusedOutside, match=words):
        check_address(url)
    client = HttpCarrier(url if "99999" not in url else "https://inside.example", 1)
    with pytest.raises(OutsideError):
        client.find("key")


def test_the_local_network_is_asked_where_a_setting_allows_it() -> None:
    check_address("http://inside.example", private=True)
    check_address("https://two.example", private=True)
    with pytest.raises(RefusedOutside, match="only https"):
        check_address("http://carrier.example", private=True)
    with pytest.raises(NeverSent, match="no host"):
        check_address("https://gone.example")


def _client(answer: httpx.Response) -> httpx.Client:
    return httpx.Client(base_url="http://127.0.0.1", transport=httpx.MockTransport(lambda _: answer))


def test_redirects_are_not_followed_and_endless_answers_not_read(monkeypatch: pytest.MonkeyPatch) -> None:
    there = httpx.Response(302, headers={"Location": "http://10.0.0.1/"})
    with pytest.raises(MaybeDone, match="sends us elsewhere"):
        http.call(_client(there), "GET", "/")
    monkeypatch.setattr(http, "MOST_BYTES", 1_000)
    assert len(http.call(_client(httpx.Response(200, content=b"x" * 1_000)), "GET", "/").content) == 1_000
    with pytest.raises(MaybeDone, match="an answer of more than"):
        http.call(_client(httpx.Response(200, content=b"x" * 1_001)), "GET", "/")
