"""Text messages through any gateway that takes them by HTTP, by a template that the owner wrote."""

from __future__ import annotations

from dataclasses import dataclass

import httpx

from tidewind.core.filled import filled_body
from tidewind.outside.addresses import check_address
from tidewind.outside.errors import RefusedOutside
from tidewind.outside.http import call, client_at

LONGEST = 1_000


@dataclass(frozen=True, slots=True)
class SmsGateway:
    """Where messages go: address, how the body is written, its template, and the header that carries the key."""

    url: str
    form: str
    template: str
    header: str
    secret: str
    sender: str = ""

    def send(self, to: str, text: str, timeout_s: float, *, private: bool = False) -> str:
        """Send a message to a number (E.164) and return the gateway's answer, shortened.

        Raises NeverSent, MaybeDone or RefusedOutside; one whose answer is lost is not sent again by itself.
        """
        check_address(self.url, private=private)
        try:
            body, kind = filled_body(self.template, self.form, {"to": to, "text": text[:LONGEST], "from": self.sender})
        except (ValueError, KeyError) as error:
            raise RefusedOutside("bad_template", f"the template cannot be filled: {error}") from error
        headers = {self.header: self.secret} if self.secret else {}
        with client_at(private=private, timeout=httpx.Timeout(timeout_s, connect=2.0)) as client:
            if self.form == "json":
                answer = call(client, "POST", self.url, json=body, headers=headers)
            else:
                answer = call(client, "POST", self.url, data=body, headers={**headers, "Content-Type": kind})
        return answer.text[:200]
