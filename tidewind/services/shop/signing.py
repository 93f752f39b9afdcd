"""The key that the shop's mails are signed with (DKIM, RFC 6376): made or brought along, sealed, used when told to.

What is signed is believed where the sender's domain publishes the key's other half in its DNS.
"""

from __future__ import annotations

import base64
import re
from dataclasses import dataclass
from datetime import datetime

from cryptography.exceptions import UnsupportedAlgorithm
from cryptography.hazmat.primitives.asymmetric.rsa import RSAPrivateKey, generate_private_key
from cryptography.hazmat.primitives.serialization import (
    Encoding,
    NoEncryption,
    PrivateFormat,
    PublicFormat,
    load_pem_private_key,
)
from sqlalchemy.orm import Session, sessionmaker

from tidewind.db.tables import Shop
from tidewind.outside.mailer import MailSigning
from tidewind.services.base import Invalid, Sealer
from tidewind.services.planning import shop_settings

KEY_BITS, LEAST_BITS = 2_048, 1_024
"""What a key is made with, and the least that verifiers take (RFC 8301, 3.2)."""
_SELECTOR = re.compile(r"[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?")


@dataclass(frozen=True, slots=True)
class SigningKey:
    """What stands where: the DNS name and the text of its record; both empty where there is no key."""

    domain: str = ""
    selector: str = ""
    record_name: str = ""
    record: str = ""
    on: bool = False


def signing_key(session: Session) -> SigningKey:
    """Return the key's public side and whether mails are signed with it."""
    said = shop_settings(session).mail_signing
    if not said:
        return SigningKey()
    domain, selector = str(said["domain"]), str(said["selector"])
    record = f"v=DKIM1; k=rsa; p={said['public']}"
    return SigningKey(domain, selector, f"{selector}._domainkey.{domain}", record, bool(said["on"]))


def keep_signing_key(session: Session, sealer: Sealer, now: datetime, selector: str = "", pem: str = "") -> SigningKey:
    """Keep a key, or make one where none is given; nothing is signed with it before somebody says so.

    Raises Invalid where it is no key, or the shop's mails come from nowhere.
    """
    row = shop_settings(session)
    domain = row.mail_from.rpartition("@")[2].lower()
    if not domain:
        raise Invalid("bad_sender", "Say first which address the shop's mails come from.")
    selector = selector.strip().lower() or f"post-{now:%Y%m}"
    if not _SELECTOR.fullmatch(selector):
        raise Invalid("bad_selector", "A selector has letters, digits and hyphens (RFC 6376, 3.1).")
    key = _read(pem) if pem.strip() else generate_private_key(65_537, KEY_BITS)
    public = key.public_key().public_bytes(Encoding.DER, PublicFormat.SubjectPublicKeyInfo)
    # PKCS 1, the form in which every signer reads an RSA key.
    private = key.private_bytes(Encoding.PEM, PrivateFormat.TraditionalOpenSSL, NoEncryption()).decode()
    row.mail_signing = {
        "domain": domain,
        "selector": selector,
        "public": base64.b64encode(public).decode(),
        "key": sealer.seal(private),
        "on": False,
    }
    return signing_key(session)


def _read(pem: str) -> RSAPrivateKey:
    try:
        key = load_pem_private_key(pem.strip().encode(), None)
    except (ValueError, TypeError, UnsupportedAlgorithm) as error:
        raise Invalid("bad_key", "This is no private key in PEM without a password.") from error
    if not isinstance(key, RSAPrivateKey) or key.key_size < LEAST_BITS:
        raise Invalid("bad_key", f"Mails are signed with an RSA key of {LEAST_BITS:,} bits at least (RFC 8301).")
    return key


def sign_mails(session: Session, on: bool) -> SigningKey:
    """Sign from now on, or no more.  Raises Invalid without a key."""
    row = shop_settings(session)
    if not row.mail_signing:
        raise Invalid("no_key", "There is no key to sign with. Make one first.")
    row.mail_signing = {**row.mail_signing, "on": on}
    return signing_key(session)


def forget_signing_key(session: Session) -> SigningKey:
    """Take the key away; mails go unsigned."""
    shop_settings(session).mail_signing = {}
    return signing_key(session)


def signing_of(sessions: sessionmaker[Session], sealer: Sealer) -> MailSigning | None:
    """Return what mails are signed with now, None where they are not."""
    with sessions() as session:
        row = session.get(Shop, 1)
        said = row.mail_signing if row is not None else {}
    if not said or not said["on"]:
        return None
    return MailSigning(str(said["domain"]), str(said["selector"]), sealer.open(str(said["key"])))
