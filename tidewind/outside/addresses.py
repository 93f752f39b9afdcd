"""Which addresses of the outside world may be asked: an owner's word, not a hole into the network that we stand in."""

from __future__ import annotations

import ipaddress
import socket
from urllib.parse import urlsplit

from tidewind.outside.errors import NeverSent, RefusedOutside

Ip = ipaddress.IPv4Address | ipaddress.IPv6Address


def check_address(url: str, *, private: bool = False) -> None:
    """Refuse an address that must not be asked: anything but https, or http on this machine, and inner networks.

    ``private`` allows addresses of the local network, and http there, for what stands in the house (printers, scales).
    Names are looked up; one that leads to several places is judged by all of them.  Raises RefusedOutside with words,
    NeverSent where there is no such host.
    """
    try:
        parts = urlsplit(url)
        host = parts.hostname or ""
    except ValueError:
        raise RefusedOutside("bad_address", "this is no address") from None
    try:
        port = parts.port
    except ValueError:
        raise RefusedOutside("bad_address", "the address has a port that is none") from None
    if parts.scheme not in {"http", "https"} or not host:
        raise RefusedOutside("bad_address", "an address begins with https:// and names a host")
    if parts.username or parts.password:
        raise RefusedOutside("bad_address", "leave name and password out of the address: the key has a field")
    found = judged_places(host, port or 443, private=private)
    home = all(place.is_loopback for place in found)
    inner = any(_inner(place) for place in found)
    if parts.scheme == "http" and not home and not (private and inner):
        raise RefusedOutside("not_private", "only https is asked; http would show the key to everybody on the way")


def judged_places(host: str, port: int, *, private: bool) -> list[Ip]:
    """Return where a name leads to now.

    Raises RefusedOutside where that is in a private network and must not be, NeverSent where there is no such host.
    """
    found = _places(host, port)
    home = all(place.is_loopback for place in found)
    if any(_inner(place) for place in found) and not home and not private:
        raise RefusedOutside("inner_network", f"{host} lies in a private network, which is not asked from here")
    return found


def _places(host: str, port: int) -> list[Ip]:
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError) as error:
        raise NeverSent(f"there is no host {host[:100]}") from error
    return [ipaddress.ip_address(str(where[4][0]).partition("%")[0]) for where in found]


def _inner(place: Ip) -> bool:
    """Tell whether a place is not on the open internet (RFC 6890), also where it is written as IPv4 inside IPv6."""
    mapped = place.ipv4_mapped if isinstance(place, ipaddress.IPv6Address) else None
    place = mapped or place
    return not place.is_global or place.is_multicast
