"""What both marketplaces have in common: a consent step, a token, counts and news."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from urllib.parse import quote

import httpx

from tidewind.outside.channels.levels import LevelsPage, read_page, read_unknown, written_levels
from tidewind.outside.channels.reading import as_agreed, json_of, read_counts
from tidewind.outside.channels.upstream import Counts, News
from tidewind.outside.http import call


class Market:
    """A marketplace behind consent; subclasses say how orders are paged and written."""

    def __init__(self, client: httpx.Client, authorization: str) -> None:
        self._client = client
        self._headers = {"Authorization": authorization}

    def close(self) -> None:
        """Close the connections."""
        self._client.close()

    @as_agreed("its counts")
    def counts(self) -> Counts:
        """See ChannelClient."""
        body = json_of(call(self._client, "GET", "/states", headers=self._headers))
        return read_counts(body["states"], body["payments"])

    def consent_url(self, back: str) -> str:
        """See ChannelClient."""
        return f"{self._client.base_url}consent?back={quote(back, safe='')}"

    @as_agreed("the words of its consent")
    def exchange(self, code: str, hook: str) -> str:
        """See ChannelClient."""
        return str(json_of(call(self._client, "POST", "/token", data={"code": code, "hook": hook}))["token"])

    def levels_after(self, cursor: str) -> LevelsPage:  # noqa: ARG002 - a market hands all of them out at once
        """See ChannelClient."""
        return read_page(call(self._client, "GET", "/stock", headers=self._headers))

    def tell_levels(self, left: Mapping[str, int]) -> frozenset[str]:
        """See ChannelClient."""
        said = call(self._client, "PUT", "/stock", json=written_levels(left), headers=self._headers)
        return read_unknown(said, left)

    def tell(self, number: str, news: News) -> None:
        """See ChannelClient."""
        call(self._client, "POST", f"/orders/{quote(number)}/news", json=asdict(news), headers=self._headers)
