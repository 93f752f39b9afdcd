"""The server that the shop's mails go through: said by the owner, its password sealed, tried before it counts."""

from __future__ import annotations

from dataclasses import asdict, dataclass

from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.addresses.mail import is_mail_address
from tidewind.db.tables import Shop
from tidewind.outside.errors import OutsideError
from tidewind.outside.mailer import MailServer
from tidewind.services.base import Invalid, Outside, Sealer, defer, secret_to_keep
from tidewind.services.planning import shop_settings


@dataclass(frozen=True, slots=True)
class MailSettings:
    """Host, port, how the way is kept private, the name to sign in with, and who the mails come from.

    ``password`` None leaves the one there is, empty takes it away.
    """

    host: str
    port: int
    tls: str
    user: str
    sender: str
    password: str | None = None


def mail_settings(session: Session) -> MailSettings:
    """Return what is set, without the password; an empty host where the program's own configuration is used."""
    row = shop_settings(session)
    said = row.mail_server
    return MailSettings(
        str(said.get("host", "")),
        int(said.get("port", 587)),
        str(said.get("tls", "starttls")),
        str(said.get("user", "")),
        row.mail_from,
    )


def save_mail_settings(session: Session, wanted: MailSettings, sealer: Sealer) -> MailSettings:
    """Keep another server; an empty host goes back to the program's own.

    Raises Invalid for a sender that is none, and where the kept password would go to another server.
    """
    row = shop_settings(session)
    if not is_mail_address(wanted.sender):
        raise Invalid("bad_sender", f"{wanted.sender} is no mail address that mails can come from.")
    if wanted.user and wanted.tls == "none" and wanted.host not in {"localhost", "127.0.0.1", "::1"}:
        raise Invalid("open_password", "A password is not sent over a line that anybody can read. Choose TLS.")
    before = mail_settings(session)
    same = (wanted.host.lower(), wanted.port, wanted.tls) == (before.host.lower(), before.port, before.tls)
    kept = str(row.mail_server.get("password", ""))
    sealed = secret_to_keep(sealer, kept, wanted.password, same_place=same or not wanted.host)
    said = {name: value for name, value in asdict(wanted).items() if name not in {"sender", "password"}}
    # Changed in anything, a server counts again only when it has taken a test mail.
    row.mail_server = {**said, "password": sealed, "tried": False} if wanted.host else {}
    row.mail_from = wanted.sender
    return mail_settings(session)


def mail_goes(session: Session, outside: Outside) -> bool:
    """Tell whether mails go: by the shop's server once it took a test mail, else by the one the program was given."""
    said = shop_settings(session).mail_server
    return bool(said.get("tried")) if said else outside.has_mail


def server_of(sessions: sessionmaker[Session], sealer: Sealer, default: MailServer | None) -> MailServer | None:
    """Return the server that mails go through now: the shop's, else the program's own; None where there is none."""
    with sessions() as session:
        row = session.get(Shop, 1)
        said = row.mail_server if row is not None else {}
    if not said:
        return default
    return MailServer(
        str(said["host"]), int(said["port"]), str(said["tls"]), str(said["user"]), sealer.open(str(said["password"]))
    )


def send_test_mail(session: Session, outside: Outside, recipient: str) -> tuple[bool, str]:
    """Send a mail to try the server; return whether it went, and the server's own words where it did not."""
    row = shop_settings(session)
    words = f"This mail was sent by {row.brand} to try its mail server. Nothing needs to be done."
    try:
        outside.mailer.send(row.brand, row.mail_from, recipient, "A test", words)
    except OutsideError as error:
        return False, str(error)
    if row.mail_server:
        row.mail_server = {**row.mail_server, "tried": True}
        defer(session, "send_followups", lock="send_followups")  # what waited for it
    return True, f"Sent to {recipient}. Look there whether it arrived."
