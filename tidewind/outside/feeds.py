"""Where files of orders come from: an address, a folder of this machine, a folder of another by SFTP."""

from __future__ import annotations

import io
import os
import posixpath
import socket
import stat
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from urllib.parse import quote, urlsplit

import httpx
import paramiko

from tidewind.outside.addresses import check_address
from tidewind.outside.errors import MaybeDone, NeverSent, OutsideError, RefusedOutside
from tidewind.outside.http import MOST_BYTES, call, client_at

SINCE = "{since}"
KINDS = ("http", "folder", "sftp")
ENDINGS = (".csv", ".tsv", ".txt", ".xlsx", ".xls", ".ods", ".json")
MOST_FILES = 200
SETTLED = timedelta(seconds=10)
"""A file that was written to within this time may still be growing: it is read at the next look."""


@dataclass(frozen=True, slots=True)
class Source:
    """A place to look at: its kind, address, secret, the header that carries it, and the host key known so far."""

    kind: str
    address: str
    secret: str = ""
    header: str = "Authorization"
    host_key: str = ""


@dataclass(frozen=True, slots=True)
class Found:
    """A file there: its name, and how to read it."""

    name: str
    read: Callable[[], bytes]


@dataclass(frozen=True)
class Looked:
    """What a look found, and the key by which the other machine showed itself."""

    files: list[Found]
    host_key: str = ""


class Feeds:
    """Looks at places where files of orders lie; folders of this machine only below ``base``."""

    def __init__(self, base: Path, timeout_s: float, *, private: bool = False) -> None:
        self._base, self._timeout, self._private = base, timeout_s, private

    @contextmanager
    def look(self, source: Source, since: datetime, now: datetime) -> Iterator[Looked]:
        """Find the files that are there; they can be read while this is entered.  Raises OutsideError."""
        if source.kind == "http":
            yield Looked([self._answer(source, since)])
        elif source.kind == "folder":
            yield Looked(self._in_folder(source, now))
        else:
            with self._sftp(source) as (client, directory, host_key):
                yield Looked(_in_directory(client, directory, now), host_key)

    def _answer(self, source: Source, since: datetime) -> Found:
        url = source.address.replace(SINCE, quote(f"{since:%Y-%m-%dT%H:%M:%SZ}"))
        check_address(url, private=self._private)
        headers = {"Accept": "application/json, text/csv;q=0.9, */*;q=0.5"}
        if source.secret:
            headers[source.header] = source.secret

        def read() -> bytes:
            with client_at(private=self._private, timeout=httpx.Timeout(self._timeout, connect=2.0)) as client:
                answer = call(client, "GET", url, headers=headers)
            return answer.content

        return Found(posixpath.basename(urlsplit(url).path) or "orders", read)

    def _in_folder(self, source: Source, now: datetime) -> list[Found]:
        if "\0" in source.address:
            raise RefusedOutside("bad_address", "a folder's name has no NUL character")
        folder = (self._base / source.address).resolve()
        if not folder.is_relative_to(self._base.resolve()):
            raise RefusedOutside("outside_base", f"folders lie below {self._base}")
        try:
            folder.mkdir(parents=True, exist_ok=True)
            here = sorted(path for path in folder.iterdir() if path.suffix.lower() in ENDINGS and _is_own(path))
            settled = [path for path in here if now.timestamp() - path.stat().st_mtime >= SETTLED.total_seconds()]
        except OSError as error:
            raise NeverSent(f"the folder cannot be read: {error.strerror}") from error
        return [Found(path.name, _reader(path)) for path in settled[:MOST_FILES]]

    @contextmanager
    def _sftp(self, source: Source) -> Iterator[tuple[paramiko.SFTPClient, str, str]]:
        parts = urlsplit(source.address)
        host, port = parts.hostname or "", parts.port or 22
        check_address(f"https://{host}:{port}", private=self._private)
        transport = None
        try:
            transport = paramiko.Transport(socket.create_connection((host, port), self._timeout))
            transport.banner_timeout = transport.auth_timeout = self._timeout
            transport.start_client(timeout=self._timeout)
            key = transport.get_remote_server_key()
            shown = f"{key.get_name()} {key.get_base64()}"
            if source.host_key and source.host_key != shown:
                raise RefusedOutside("other_host", f"{host} shows another key than before: nothing was sent to it")
            _let_in(transport, parts.username or "", source.secret)
            client = paramiko.SFTPClient.from_transport(transport)
            if client is None:
                raise NeverSent(f"{host} offers no files by SFTP")
            client.get_channel().settimeout(self._timeout)  # type: ignore[union-attr]
            yield client, parts.path or ".", shown
        except paramiko.AuthenticationException as error:
            raise RefusedOutside("not_let_in", f"{host} does not accept this name and secret") from error
        except (paramiko.SSHException, OSError, EOFError) as error:
            raise NeverSent(f"{host} cannot be reached by SFTP: {str(error)[:120]}") from error
        finally:
            if transport is not None:
                transport.close()


def _is_own(path: Path) -> bool:
    """Tell whether a file lies in its folder itself; a link may lead to what nobody means to import."""
    return path.is_file() and not path.is_symlink()


def _reader(path: Path) -> Callable[[], bytes]:
    def read() -> bytes:
        try:
            # Not followed either where it became a link since it was listed.
            with os.fdopen(os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC), "rb") as file:
                if os.fstat(file.fileno()).st_size > MOST_BYTES:
                    raise RefusedOutside("too_large", f"{path.name} has more than {MOST_BYTES // 1_000_000} MB")
                return file.read(MOST_BYTES)
        except OSError as error:
            raise NeverSent(f"{path.name} cannot be read: {error.strerror}") from error

    return read


def _let_in(transport: paramiko.Transport, user: str, secret: str) -> None:
    if "PRIVATE KEY" not in secret:
        transport.auth_password(user, secret)
        return
    for kind in (paramiko.Ed25519Key, paramiko.ECDSAKey, paramiko.RSAKey):
        try:
            key = kind.from_private_key(io.StringIO(secret))
        except paramiko.SSHException:
            continue
        transport.auth_publickey(user, key)
        return
    raise RefusedOutside("no_key", "the secret looks like a private key, and is none that can be used")


def _in_directory(client: paramiko.SFTPClient, directory: str, now: datetime) -> list[Found]:
    found = []
    for entry in sorted(client.listdir_attr(directory), key=lambda entry: entry.filename):
        regular = entry.st_mode is None or stat.S_ISREG(entry.st_mode)
        settled = now.timestamp() - (entry.st_mtime or 0) >= SETTLED.total_seconds()
        if regular and settled and entry.filename.lower().endswith(ENDINGS):
            path = posixpath.join(directory, entry.filename)
            found.append(Found(entry.filename, _remote_reader(client, path, entry.st_size or 0)))
    return found[:MOST_FILES]


def _remote_reader(client: paramiko.SFTPClient, path: str, size: int) -> Callable[[], bytes]:
    def read() -> bytes:
        if size > MOST_BYTES:
            raise RefusedOutside("too_large", f"{path} has more than {MOST_BYTES // 1_000_000} MB")
        try:
            with client.open(path, "rb") as file:
                return bytes(file.read(MOST_BYTES + 1))
        except OutsideError:
            raise
        except (OSError, paramiko.SSHException) as error:
            raise MaybeDone(f"{path} could not be read to its end") from error

    return read
