"""Secrets are stored sealed: encrypted with a key that is kept outside the database."""

from __future__ import annotations

import os
from contextlib import suppress
from functools import cached_property
from pathlib import Path
from urllib.parse import urlsplit

from cryptography.fernet import Fernet, InvalidToken

from tidewind.services.base.errors import Conflict, Invalid


class Sealer:
    """Seals and opens secrets (Fernet: AES-128-CBC with HMAC-SHA256); the key is read, or made, at first need."""

    def __init__(self, file: Path) -> None:
        self._file = file

    @cached_property
    def _fernet(self) -> Fernet:
        return Fernet(key_in(self._file))

    def seal(self, secret: str) -> str:
        """Return a secret sealed; empty stays empty."""
        return self._fernet.encrypt(secret.encode()).decode() if secret else ""

    def open(self, sealed: str) -> str:
        """Return what was sealed.  Raises Conflict where the key is another one."""
        if not sealed:
            return ""
        try:
            return self._fernet.decrypt(sealed.encode()).decode()
        except InvalidToken as error:
            words = "The stored secret cannot be opened with this key. Bring the key file back, or give consent again."
            raise Conflict("wrong_key", words) from error


def place_of(address: str) -> tuple[str, str, int | None, str]:
    """Return whom an address speaks to: scheme, host, port and name; its path is that place's own affair."""
    try:
        parts = urlsplit(address.strip())
        port = parts.port or {"http": 80, "https": 443, "sftp": 22}.get(parts.scheme)
    except ValueError:
        return "", address, None, ""  # no address: nobody is reached there, and no secret was typed for it
    return parts.scheme, (parts.hostname or "").lower(), port, parts.username or ""


def secret_to_keep(sealer: Sealer, kept: str, typed: str | None, *, same_place: bool) -> str:
    """Return the sealed secret from now on: what was typed, else the one that is ``kept``.

    Raises Invalid where that one was typed for another place: nobody may send it elsewhere who does not know it.
    """
    if typed is not None:
        return sealer.seal(typed)
    if kept and not same_place:
        raise Invalid("secret_again", "The password or key was given for another address. Please type it again.")
    return kept


def key_in(file: Path) -> bytes:
    """Return the key in a file readable by its owner alone; the first call makes it, whole or not at all.

    Raises Conflict for a file that holds no key: another one must not be made in its place, since it may come back.
    """
    file.parent.mkdir(parents=True, exist_ok=True)
    if not file.exists():
        half = file.with_name(f"{file.name}.{os.getpid()}.half")
        half.unlink(missing_ok=True)
        with os.fdopen(os.open(half, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as opened:
            opened.write(Fernet.generate_key())
        with suppress(FileExistsError):
            file.hardlink_to(half)  # unlike a rename this never takes the place of a key made meanwhile
        half.unlink()
    key = file.read_bytes().strip()
    try:
        Fernet(key)
    except ValueError as error:
        words = f"{file.name} holds no key. Bring it back from a backup, or remove it and give consent again."
        raise Conflict("no_key", words) from error
    return key
