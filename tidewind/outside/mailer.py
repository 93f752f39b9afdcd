"""Mails by SMTP."""

from __future__ import annotations

import smtplib
from email.message import EmailMessage
from email.utils import formataddr, make_msgid
from typing import Protocol

from tidewind.outside.errors import NeverSent, RefusedOutside


class Mailer(Protocol):
    """Something that sends a mail."""

    def send(self, sender_name: str, sender: str, recipient: str, subject: str, body: str) -> None:
        """Send one plain mail.  Raises NeverSent or RefusedOutside."""


class SmtpMailer:
    """A mail server."""

    def __init__(self, host: str, port: int) -> None:
        self._host, self._port = host, port

    def send(self, sender_name: str, sender: str, recipient: str, subject: str, body: str) -> None:
        """See Mailer."""
        message = EmailMessage()
        message["From"] = formataddr((sender_name, sender))
        message["To"] = recipient
        message["Subject"] = " ".join(subject.split())
        message["Message-ID"] = make_msgid(domain=sender.rpartition("@")[2])
        message.set_content(body)
        try:
            with smtplib.SMTP(self._host, self._port, timeout=8) as server:
                server.send_message(message)
        except (smtplib.SMTPRecipientsRefused, smtplib.SMTPSenderRefused) as error:
            raise RefusedOutside("mail_refused", "the mail server refused the address") from error
        except (OSError, smtplib.SMTPException) as error:
            raise NeverSent("the mail server does not answer") from error
