"""A mail read again says what was written, whatever that was: no name, subject or text becomes a header or a part."""

from __future__ import annotations

import email
import email.policy
from email.message import EmailMessage
from typing import cast

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from tidewind.core.addresses.mail import is_mail_address
from tidewind.outside.errors import RefusedOutside
from tidewind.outside.mailer import Dress, Paper, as_sent, write_mail

SHOP, BUYER = "post@larkspur.example", "ana@buyers.example"
HEADERS = {
    "From", "To", "Subject", "Date", "Message-ID", "MIME-Version", "Content-Type", "Content-Transfer-Encoding",
}  # fmt: skip
DRESSED = HEADERS | {"List-Unsubscribe", "List-Unsubscribe-Post", "Auto-Submitted"}
NASTY = (
    "\r\nBcc: eve@x.example\r\n", "\n\nbody now", "=?utf-8?q?x?=", "\u2028", "\x85", "\x0b", "\x0c", "\t", ",", ";", ":",
    "<", ">", '"', "\\", "@", "(", ")", "été", "東京", "😀", "ע", "\u202e", "a" * 200, "From ", ".", "--", "\x1c", "\x7f",
)  # fmt: skip


def texts(most: int = 300) -> st.SearchStrategy[str]:
    plain = st.characters(exclude_categories=["Cs"], exclude_characters="\x00")
    pieces = st.one_of(st.sampled_from(NASTY), st.text(plain, max_size=12), st.just(" "))
    return st.lists(pieces, max_size=8).map(lambda some: "".join(some)[:most])


def read(wire: bytes) -> EmailMessage:
    return cast(EmailMessage, email.message_from_bytes(wire, policy=email.policy.SMTP.clone(utf8=True)))


def to_of(mail: EmailMessage) -> list[str]:
    """To whom a mail goes; the library reads what is not ASCII (RFC 6531) as bytes that it could not decode."""
    return [a.addr_spec.encode("ascii", "surrogateescape").decode() for a in mail["To"].addresses]


def lines(text: str) -> list[str]:
    """The lines of a text as a mail has them: how they end, and that the last one does, is the mail's own."""
    return text.replace("\r\n", "\n").replace("\r", "\n").rstrip("\n").split("\n")


@given(name=texts(120), subject=texts(200), body=texts(2_000))
@example("Ateliê, Lda", "Your parcel\r\nBcc: eve@x.example", "One\n.\nTwo\nFrom here\n")
@example("", "", "")
@example('"', "=?utf-8?b?4pyT?=", "\n\n")
def test_a_plain_mail_says_what_was_written(name: str, subject: str, body: str) -> None:
    mail = read(as_sent(write_mail((name, SHOP), BUYER, subject, body, None, None), None))
    assert set(mail.keys()) <= HEADERS
    assert to_of(mail) == [BUYER]
    assert [a.addr_spec for a in mail["From"].addresses] == [SHOP]
    assert " ".join(str(mail["Subject"]).split()) == " ".join(subject.split()).replace("=?", "= ?")
    assert not mail.is_multipart()
    assert lines(mail.get_content()) == lines(body)


@given(html=texts(2_000), body=texts(500), paper=texts(80), key=st.from_regex(r"[a-z0-9-]{1,40}", fullmatch=True))
@example("<p>--boundary</p>\r\n--", "--\n--==\n", "../label\r\n.pdf", "k")
def test_a_dressed_mail_has_its_parts_and_no_others(html: str, body: str, paper: str, key: str) -> None:
    dress = Dress(html, key, "https://shop.example/stop/abc", b"\x89PNG picture")
    mail = read(as_sent(write_mail(("Shop", SHOP), BUYER, "Subject", body, Paper(paper, b"%PDF-1"), dress), None))
    assert set(mail.keys()) <= DRESSED
    assert mail["Message-ID"] == f"<{key}@larkspur.example>"
    kinds = [part.get_content_type() for part in mail.walk() if not part.is_multipart()]
    assert sorted(kinds) == ["application/pdf", "image/png", "text/html", "text/plain"]
    by_kind = {part.get_content_type(): cast(EmailMessage, part) for part in mail.walk()}
    assert lines(by_kind["text/plain"].get_content()) == lines(body)
    assert lines(by_kind["text/html"].get_content()) == lines(html)
    assert by_kind["application/pdf"].get_content() == b"%PDF-1"
    assert by_kind["image/png"].get_content() == b"\x89PNG picture"


@given(to=texts(90))
@example("ana@x.example, eve@x.example")
@example("Ana <ana@x.example>")
@example("ana@x.example\r\nBcc: eve@x.example")
@example("@")
@example("a@[")
def test_nobody_else_is_written_to(to: str) -> None:
    """What is one address goes there and nowhere else; what is none is refused in words, not by the library's errors."""
    try:
        mail = read(as_sent(write_mail(("Shop", SHOP), to, "S", "B", None, None), None))
    except RefusedOutside as refused:
        assert refused.reason == "address_refused"
        assert not is_mail_address(to), "what is let in where it is typed can be written to"
        return
    assert to_of(mail) == [to]


@pytest.mark.parametrize("to", ["josé@correo.example", "имя@пример.рф"])
def test_an_address_in_other_letters_goes_out_in_them(to: str) -> None:
    wire = as_sent(write_mail(("Shop", SHOP), to, "Olá", "Tudo", None, None), None)
    assert to.encode() in wire
    assert to_of(read(wire)) == [to]
