"""One mail address is one mail address: nothing else gets past, and nothing right is held back."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.addresses.mail import is_mail_address
from tidewind.outside.errors import RefusedOutside
from tidewind.outside.mailer import _address

GOOD = (
    "ana@buyer.example", "a.b+tag@x-y.example.org", "o'neil@example.ie", "josé@correo.example", "имя@пример.рф",
    "x@a.co", f"{'a' * 64}@example.com", "under_score@sub.domain.example", "1234@567.example",
)  # fmt: skip
BAD = (
    "", "ana@", "@buyer.example", "ana", "ana@buyer", "a b@x.example", "ana@x.example,eve@y.example",
    "ana@x.example;eve@y.example", "Ana <ana@x.example>", "a..b@x.example", ".a@x.example", "a.@x.example",
    "ana@-x.example", "ana@x-.example", "ana@x..example", "ana@x.example.", "ana@10.0.0.1", "a@b@c.example",
    "ana@x.example\r\nBcc: eve@y.example", "ana\x00@x.example", f"{'a' * 65}@example.com", f"a@{'b' * 64}.example",
    f"a@{'b' * 60}.{'c' * 60}.{'d' * 60}.{'e' * 60}.{'f' * 60}.example", "a@x_y.example", "\u202eana@x.example ",
)  # fmt: skip


@pytest.mark.parametrize("text", GOOD)
def test_right_ones_are_let_through(text: str) -> None:
    assert is_mail_address(text)


@pytest.mark.parametrize("text", BAD)
def test_others_are_not(text: str) -> None:
    assert not is_mail_address(text)


@given(st.text(max_size=40) | st.from_regex(r"[a-z.,;<> @\"\r\n]{1,20}@[a-z.,; ]{1,12}", fullmatch=True))
def test_what_is_let_through_is_one_recipient_for_the_mail_library_too(text: str) -> None:
    if is_mail_address(text):
        try:
            assert _address(text).addr_spec.count("@") == 1
        except RefusedOutside:
            pytest.fail(f"{text!r} was let through, and the library refuses it")
