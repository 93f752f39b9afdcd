"""Stores and marketplaces with a language of their own, beside the open channel protocol."""

from __future__ import annotations

from collections.abc import Callable

from tidewind.outside.channels.larkspur import Larkspur
from tidewind.outside.channels.ovenbird import Ovenbird
from tidewind.outside.channels.tallyfair import Tallyfair
from tidewind.outside.channels.upstream import ChannelClient

DIALECTS: dict[str, Callable[[str, str, float], ChannelClient]] = {
    "larkspur": Larkspur,
    "tallyfair": Tallyfair,
    "ovenbird": Ovenbird,
}
"""By its code: what makes its client of an address, a secret, and the seconds to wait for an answer."""
