"""Mails by SMTP."""

from __future__ import annotations

import smtplib
import ssl
from collections.abc import Callable
from dataclasses import dataclass, field
from email.errors import HeaderParseError
from email.headerregistry import Address
from email.message import EmailMessage
from email.utils import formataddr, make_msgid
from typing import Protocol

from tidewind.outside.errors import NeverSent, RefusedOutside


@dataclass(frozen=True, slots=True)
class Paper:
    """A PDF that goes with a mail."""

    name: str
    pdf: bytes


class Mailer(Protocol):
    """Something that sends a mail."""

    def send(
        self, sender_name: str, sender: str, recipient: str, subject: str, body: str, paper: Paper | None = None
    ) -> None:
        """Send one plain mail, with a PDF where one goes with it.  Raises NeverSent or RefusedOutside."""


def _address(recipient: str) -> Address:
    """Return one address; what is none, or would be several, is refused here and not by the library's own errors."""
    try:
        return Address(addr_spec=recipient)
    except (ValueError, IndexError, HeaderParseError) as error:
        raise RefusedOutside("mail_refused", "this is no mail address") from error


@dataclass(frozen=True, slots=True)
class MailServer:
    """Where mails are handed over: ``tls`` is ``none``, ``starttls`` or ``tls`` from the first byte."""

    host: str
    port: int
    tls: str = "none"
    user: str = ""
    password: str = field(default="", repr=False)


def _said(error: smtplib.SMTPException) -> str:
    """Return the server's own words, on one line."""
    told = getattr(error, "smtp_error", b"") or str(error)
    words = told.decode("utf-8", "replace") if isinstance(told, bytes) else str(told)
    return " ".join(words.split())[:200]


class SmtpMailer:
    """A mail server, asked for anew with each mail: it can be changed while the program runs."""

    def __init__(self, server: Callable[[], MailServer]) -> None:
        self._server = server

    def _connect(self) -> smtplib.SMTP:
        """Return a connection on which mails can be sent.  Raises OSError or SMTPException."""
        said, context = self._server(), ssl.create_default_context()
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
        self, sender_name: str, sender: str, recipient: str, subject: str, body: str, paper: Paper | None = None
    ) -> None:
        """See Mailer."""
        message = EmailMessage()
        message["From"] = formataddr((sender_name, sender))
        message["To"] = _address(recipient)
        message["Subject"] = " ".join(subject.split())
        message["Message-ID"] = make_msgid(domain=sender.rpartition("@")[2])
        message.set_content(body)
        if paper is not None:
            message.add_attachment(paper.pdf, maintype="application", subtype="pdf", filename=paper.name)
        try:
            with self._connect() as server:
                server.send_message(message)
        except smtplib.SMTPAuthenticationError as error:
            raise NeverSent(f"the mail server does not take the name and password: {_said(error)}") from error
        except ssl.SSLCertVerificationError as error:
            raise NeverSent(f"the mail server's certificate is not to be trusted: {error.verify_message}") from error
        except (smtplib.SMTPRecipientsRefused, smtplib.SMTPSenderRefused) as error:
            raise RefusedOutside("mail_refused", "the mail server refused the address") from error
        except (smtplib.SMTPNotSupportedError, UnicodeError) as error:
            raise RefusedOutside("mail_refused", "the mail server takes no address with such letters") from error
        except (OSError, smtplib.SMTPException) as error:
            words = _said(error) if isinstance(error, smtplib.SMTPException) else ""
            raise NeverSent(f"the mail server does not answer{f': {words}' if words else ''}") from error
