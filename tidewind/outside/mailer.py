"""Mails by SMTP."""

from __future__ import annotations

import smtplib
from dataclasses import dataclass
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


class SmtpMailer:
    """A mail server."""

    def __init__(self, host: str, port: int) -> None:
        self._host, self._port = host, port

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
            with smtplib.SMTP(self._host, self._port, timeout=8) as server:
                server.send_message(message)
        except (smtplib.SMTPRecipientsRefused, smtplib.SMTPSenderRefused) as error:
            raise RefusedOutside("mail_refused", "the mail server refused the address") from error
        except (smtplib.SMTPNotSupportedError, UnicodeError) as error:
            raise RefusedOutside("mail_refused", "the mail server takes no address with such letters") from error
        except (OSError, smtplib.SMTPException) as error:
            raise NeverSent("the mail server does not answer") from error
