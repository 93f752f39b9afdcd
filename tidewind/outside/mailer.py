"""Mails by SMTP."""

from __future__ import annotations

import smtplib
import ssl
from collections.abc import Callable
from dataclasses import dataclass, field
from email.errors import HeaderParseError
from email.headerregistry import Address
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import formatdate, make_msgid
from typing import Protocol

import dkim

from tidewind.core.addresses.mail import is_mail_address
from tidewind.outside.errors import NeverSent, RefusedOutside


@dataclass(frozen=True, slots=True)
class Paper:
    """A PDF that goes with a mail."""

    name: str
    pdf: bytes


@dataclass(frozen=True, slots=True)
class Dress:
    """What a mail to a buyer has beside its text: HTML, what its Message-ID is made of, where one stops them, a logo.

    The same ``key`` makes the same Message-ID, so that a mail that was sent twice after a crash is seen to be one.
    """

    html: str
    key: str
    stop_url: str
    logo: bytes | None = None


class Mailer(Protocol):
    """Something that sends a mail."""

    def send(
        self,
        sender_name: str,
        sender: str,
        recipient: str,
        subject: str,
        body: str,
        paper: Paper | None = None,
        dress: Dress | None = None,
    ) -> None:
        """Send one mail, with a PDF and a dress where they go with it.

        Raises NeverSent, or RefusedOutside (``address_refused``: the server will never take this recipient).
        """


PERMANENT = 500
"""From this answer on a mail server means it for good (RFC 5321, 4.2.1)."""


def _address(recipient: str) -> Address:
    """Return one address; what is none, or would be several, is refused here and not by the library's own errors."""
    local, _, domain = recipient.rpartition("@")
    if not local.isascii() and is_mail_address(recipient):
        return Address(username=local, domain=domain)  # RFC 6531; the library parses those of RFC 5322 alone
    try:
        return Address(addr_spec=recipient)
    except (ValueError, IndexError, AttributeError, HeaderParseError) as error:
        raise RefusedOutside("address_refused", "this is no mail address") from error


@dataclass(frozen=True, slots=True)
class MailServer:
    """Where mails are handed over: ``tls`` is ``none``, ``starttls`` or ``tls`` from the first byte."""

    host: str
    port: int
    tls: str = "none"
    user: str = ""
    password: str = field(default="", repr=False)


@dataclass(frozen=True, slots=True)
class MailSigning:
    """What mails are signed with: the domain that answers for them, its selector, its private RSA key as PEM."""

    domain: str
    selector: str
    key: str = field(repr=False)


_SIGNED = (
    "from",
    "to",
    "subject",
    "date",
    "message-id",
    "mime-version",
    "content-type",
    "content-transfer-encoding",
    "list-unsubscribe",
    "list-unsubscribe-post",
    "auto-submitted",
)
"""RFC 6376, 5.4.1; the way to stop them must be among them (RFC 8058, 4)."""
_WIRE = SMTP.clone(cte_type="7bit")  # a relay that would change eight bits into seven would break the signature


def as_sent(message: EmailMessage, signing: MailSigning | None) -> bytes:
    """Return a mail as it goes over the line, signed where its sender is of the domain that signs (RFC 6376)."""
    sender, recipient = (message[name].addresses[0] for name in ("From", "To"))
    plain = sender.addr_spec.isascii() and recipient.addr_spec.isascii()
    wire = message.as_bytes(policy=_WIRE if plain else _WIRE.clone(utf8=True))
    if signing is None or sender.domain.lower() != signing.domain:
        return wire
    there = [name.encode() for name in _SIGNED if name in message]
    signature: bytes = dkim.sign(
        wire,
        signing.selector.encode(),
        signing.domain.encode(),
        signing.key.encode(),
        canonicalize=(b"relaxed", b"relaxed"),
        include_headers=there,
    )
    return signature + wire


def _said(error: smtplib.SMTPException) -> str:
    """Return the server's own words, on one line."""
    told = getattr(error, "smtp_error", b"") or str(error)
    words = told.decode("utf-8", "replace") if isinstance(told, bytes) else str(told)
    return " ".join(words.split())[:200]


def _one_line(text: str) -> str:
    """Return a text for a header; what looks like an encoded word (RFC 2047) is none of ours, and stays what it is."""
    return " ".join(text.split()).replace("=?", "= ?")


def write_mail(
    sender: tuple[str, str], recipient: str, subject: str, body: str, paper: Paper | None, dress: Dress | None
) -> EmailMessage:
    """Return a mail from a sender (name, address); with a dress it is text and HTML (RFC 2046, 5.1.4).

    One press stops them (RFC 2369 and RFC 8058).  Raises RefusedOutside for an address that is none.
    """
    name, address = sender
    local, _, domain = address.rpartition("@")
    message = EmailMessage()
    message["From"] = Address(_one_line(name), local, domain)
    message["To"] = _address(recipient)
    message["Subject"] = _one_line(subject)
    message["Date"] = formatdate()
    message["Message-ID"] = make_msgid(domain=domain) if dress is None else f"<{dress.key}@{domain}>"
    message.set_content(body)
    if dress is not None:
        message["List-Unsubscribe"] = f"<{dress.stop_url}>"
        message["List-Unsubscribe-Post"] = "List-Unsubscribe=One-Click"
        message["Auto-Submitted"] = "auto-generated"
        message.add_alternative(dress.html, subtype="html")
        if dress.logo is not None:
            shown = message.get_payload()[1]  # type: ignore[index]  # text and HTML are its two parts
            shown.add_related(dress.logo, "image", "png", cid="<logo>")  # type: ignore[union-attr]
    if paper is not None:
        message.add_attachment(paper.pdf, maintype="application", subtype="pdf", filename=_one_line(paper.name))
    return message


def _options(server: smtplib.SMTP, sender: str, recipient: str) -> tuple[str, ...]:
    """Return what is asked of the server for addresses with letters beyond ASCII (RFC 6531, 3.4)."""
    if sender.isascii() and recipient.isascii():
        return ()
    server.ehlo_or_helo_if_needed()
    if not server.has_extn("smtputf8"):
        raise smtplib.SMTPNotSupportedError("SMTPUTF8")
    return ("SMTPUTF8", "BODY=8BITMIME")


class SmtpMailer:
    """A mail server, asked for anew with each mail: it can be changed while the program runs."""

    def __init__(
        self, server: Callable[[], MailServer | None], signing: Callable[[], MailSigning | None] = lambda: None
    ) -> None:
        self._server, self._signing = server, signing

    def _connect(self) -> smtplib.SMTP:
        """Return a connection on which mails can be sent.  Raises OSError or SMTPException."""
        said, context = self._server(), ssl.create_default_context()
        if said is None:
            raise NeverSent("no mail server is set up; the owner says one under Set-up, Shop")
        if said.tls == "tls":
            opened: smtplib.SMTP = smtplib.SMTP_SSL(said.host, said.port, timeout=8, context=context)
        else:
            opened = smtplib.SMTP(said.host, said.port, timeout=8)
        try:
            if said.tls == "starttls":
                opened.starttls(context=context)
            if said.user:
                opened.login(said.user, said.password)
        except smtplib.SMTPNotSupportedError as error:
            opened.close()
            raise NeverSent(f"the mail server does not offer that: {_said(error)}") from error
        except BaseException:
            opened.close()
            raise
        return opened

    def send(
        self,
        sender_name: str,
        sender: str,
        recipient: str,
        subject: str,
        body: str,
        paper: Paper | None = None,
        dress: Dress | None = None,
    ) -> None:
        """See Mailer."""
        message = write_mail((sender_name, sender), recipient, subject, body, paper, dress)
        try:
            wire = as_sent(message, self._signing())
            with self._connect() as server:
                server.sendmail(sender, recipient, wire, _options(server, sender, recipient))
        except smtplib.SMTPAuthenticationError as error:
            raise NeverSent(f"the mail server does not take the name and password: {_said(error)}") from error
        except ssl.SSLCertVerificationError as error:
            raise NeverSent(f"the mail server's certificate is not to be trusted: {error.verify_message}") from error
        except smtplib.SMTPRecipientsRefused as error:
            if all(code < PERMANENT for code, _ in error.recipients.values()):
                raise NeverSent("the mail server does not take the address just now") from error
            raise RefusedOutside("address_refused", "the mail server refused the address") from error
        except smtplib.SMTPSenderRefused as error:
            raise RefusedOutside("mail_refused", "the mail server refused the sender's address") from error
        except (smtplib.SMTPNotSupportedError, UnicodeError) as error:
            raise RefusedOutside("mail_refused", "the mail server takes no address with such letters") from error
        except (OSError, smtplib.SMTPException) as error:
            words = _said(error) if isinstance(error, smtplib.SMTPException) else ""
            raise NeverSent(f"the mail server does not answer{f': {words}' if words else ''}") from error
