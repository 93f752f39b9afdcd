"""A backup is one file: the database, the key that seals secrets, and what both must come to once brought back."""

from __future__ import annotations

import hashlib
import json
import os
import subprocess
import tarfile
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from datetime import datetime
from pathlib import Path

import psycopg
from psycopg import sql

from tidewind.running.cluster import Cluster, programs
from tidewind.running.filling import FILLED
from tidewind.running.folder import LOCK, STATE, DataFolder, FolderTaken, write_secretly

DUMP, KEY, TOLD = "shop.dump", "secret.key", "told.json"
MARKS = (FILLED, "empty")


class BackupError(RuntimeError):
    """A backup could not be made or brought back; the message says what was kept and what to do."""


@dataclass(frozen=True, slots=True)
class Told:
    """What a backup says of itself, and what is looked for after it was brought back.

    ``counts`` are rows by table, ``ledger`` the balances in minor units by account, ``key`` a hash of the key.
    """

    version: str
    made_at: str
    counts: dict[str, int]
    ledger: dict[str, int]
    key: str
    marks: list[str]


@contextmanager
def _reached(folder: DataFolder) -> Iterator[str]:
    """Give the database's URL, whether the shop runs or not; where it does not, its server is started meanwhile."""
    try:
        folder.take()
    except FolderTaken:
        yield json.loads((folder.path / STATE).read_text())["database_url"]
        return
    cluster = Cluster(folder.path / "postgres")
    try:
        yield cluster.start()
    finally:
        cluster.stop()
        folder.give_back()


def back_up(var: Path, file: Path, now: datetime) -> Told:
    """Write a backup of the installation in ``var`` to a new file, whole or not at all; it may run meanwhile.

    Everything is of one instant: counts are taken in the very snapshot that is dumped.
    Raises BackupError where there is no installation, or the file exists.
    """
    if file.exists():
        raise BackupError(f"{file} exists already. Nothing was written. Choose another name.")
    if not (var / "postgres").exists():
        raise BackupError(f"There is no shop in {var}.")
    with _reached(DataFolder(var)) as url, tempfile.TemporaryDirectory(prefix="tidewind-backup-") as made:
        dump = Path(made) / DUMP
        with psycopg.connect(url) as connection:
            connection.execute("set transaction isolation level repeatable read read only")
            row = connection.execute("select pg_export_snapshot()").fetchone()
            told = Told(
                version=_one(connection, "select version_num from alembic_version"),
                made_at=now.isoformat(),
                counts=_counts(connection),
                ledger=_ledger(connection),
                key=_hash(var / KEY),
                marks=[mark for mark in MARKS if (var / mark).exists()],
            )
            snapshot = f"--snapshot={row[0]}" if row else "--serializable-deferrable"
            _run("pg_dump", "--format=custom", "--no-owner", snapshot, f"--file={dump}", url)
        (Path(made) / TOLD).write_text(json.dumps(asdict(told), indent=1))
        half = file.with_name(f"{file.name}.half")
        with os.fdopen(os.open(half, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as out:
            with tarfile.open(fileobj=out, mode="w") as tar:
                tar.add(Path(made) / TOLD, TOLD)
                tar.add(dump, DUMP)
                if (var / KEY).exists():
                    tar.add(var / KEY, KEY)
            out.flush()
            os.fsync(out.fileno())
        half.rename(file)
    return told


def restore(file: Path, var: Path) -> Told:
    """Bring a backup back into a new place, and see that everything came: rows, balances, key.

    Raises BackupError for a place that is not empty, for a file that is no backup, and where anything differs; the
    place is then as it was.
    """
    if var.exists() and any(inside.name != LOCK for inside in var.iterdir()):
        raise BackupError(f"{var} is not empty. Nothing was touched. Choose a new place.")
    folder = DataFolder(var)
    folder.take()
    cluster = Cluster(var / "postgres")
    try:
        told = _brought_back(file, folder, cluster)
    except BaseException:
        cluster.stop()
        cluster.throw_away()
        folder.empty()
        raise
    else:
        cluster.stop()
        return told
    finally:
        folder.give_back()


def _brought_back(file: Path, folder: DataFolder, cluster: Cluster) -> Told:
    key = folder.path / KEY
    with tempfile.TemporaryDirectory(prefix="tidewind-restore-") as made:
        told = _unpacked(file, Path(made))
        url = cluster.start()
        _run("pg_restore", "--exit-on-error", "--single-transaction", "--no-owner", f"--dbname={url}", f"{made}/{DUMP}")
        if (Path(made) / KEY).exists():
            write_secretly(key, (Path(made) / KEY).read_text())
    with psycopg.connect(url) as connection:
        _same("rows", told.counts, _counts(connection))
        _same("balances", told.ledger, _ledger(connection))
        connection.execute("delete from procrastinate_workers")  # those of the other machine
    _same("the key", {"hash": told.key}, {"hash": _hash(key)})
    for mark in told.marks:
        folder.mark(mark)
    return told


def _unpacked(file: Path, to: Path) -> Told:
    try:
        with tarfile.open(file) as tar:
            tar.extractall(to, filter="data")
        return Told(**json.loads((to / TOLD).read_text()))
    except (OSError, tarfile.TarError, ValueError, TypeError) as error:
        raise BackupError(f"{file} is no backup, or not a whole one ({type(error).__name__}).") from error


def _same(what: str, told: dict[str, int] | dict[str, str], found: dict[str, int] | dict[str, str]) -> None:
    other = sorted(name for name in {*told, *found} if told.get(name) != found.get(name))
    if other:
        shown = ", ".join(
            f"{name}: {told.get(name)} in the backup, {found.get(name)} brought back" for name in other[:5]
        )
        raise BackupError(f"Not everything came back; {what} differ ({shown}). The new place was emptied again.")


def _counts(connection: psycopg.Connection[tuple[object, ...]]) -> dict[str, int]:
    # Who was at work says nothing of the shop, and changes by itself.
    passing = {"procrastinate_workers", "presence"}
    names = connection.execute("select tablename from pg_tables where schemaname = 'public' order by 1").fetchall()
    return {
        str(name): int(_one(connection, sql.SQL("select count(*) from {}").format(sql.Identifier(str(name)))))
        for (name,) in names
        if name not in passing
    }


def _ledger(connection: psycopg.Connection[tuple[object, ...]]) -> dict[str, int]:
    """The balances as the entries add up to, with what the accounts themselves say beside them."""
    found = connection.execute("select account, sum(amount_minor) from ledger_line group by 1").fetchall()
    said = connection.execute("select code, balance_minor from ledger_account").fetchall()
    return {f"{name}, added up": int(str(n)) for name, n in found} | {str(name): int(str(n)) for name, n in said}


def _one(connection: psycopg.Connection[tuple[object, ...]], query: str | sql.Composed) -> str:
    # Queries that are no literals are all put together in this module.
    row = connection.execute(query).fetchone()
    return str(row[0]) if row else ""


def _hash(key: Path) -> str:
    return hashlib.sha256(key.read_bytes()).hexdigest() if key.exists() else ""


def _run(program: str, *arguments: str) -> None:
    # The address has the password in it: it goes by the environment, where only this user's processes see it.
    url = next((a for a in arguments if "postgresql://" in a), "")
    hidden = url.removeprefix("--dbname=")
    password = hidden.partition("://")[2].partition("@")[0].partition(":")[2]
    shown = [a.replace(f":{password}@", "@") if password else a for a in arguments]
    done = subprocess.run(
        [str(programs() / program), *shown],
        env={**os.environ, "PGPASSWORD": password},
        capture_output=True,
        text=True,
        check=False,
        start_new_session=True,
    )
    if done.returncode:
        raise BackupError(f"{program} failed: {done.stderr.strip()[-600:]}")
