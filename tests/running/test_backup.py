"""What was backed up comes back whole, and a backup that is not whole leaves nothing behind."""

from __future__ import annotations

import io
import json
import tarfile
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

import psycopg
import pytest

from tests.conftest import MONDAY
from tests.run.length import some
from tests.services.steps import ask, buy, clear_orders, ids_of
from tidewind.cli import main
from tidewind.db.engine import make_engine
from tidewind.running.backup import DUMP, KEY, TOLD, BackupError, back_up, restore
from tidewind.running.cluster import Cluster
from tidewind.running.folder import DataFolder
from tidewind.services.base import Sealer
from tidewind.web.access import Wiring


@pytest.fixture
def place() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="tidewind-backup-", ignore_cleanup_errors=True) as made:
        Path(made).chmod(0o755)
        yield Path(made)


@pytest.fixture
def running(place: Path, wiring: Wiring, database: str) -> Iterator[Path]:
    """A shop that runs, as far as a backup sees it, with a label bought."""
    with wiring.sessions() as session:
        orders = clear_orders(session, "norvia", 3)
    for shipment_id in ids_of(wiring, ask(wiring, orders).batch_id):
        buy(wiring, shipment_id)
    folder = DataFolder(place / "shop")
    folder.take()
    (folder.path / "postgres").mkdir()
    folder.write_state({"database_url": database})
    folder.mark("filled")
    (folder.path / KEY).write_bytes(wiring.settings.key_file.read_bytes())
    yield folder.path
    folder.give_back()


def everything(url: str) -> dict[str, list[tuple[object, ...]]]:
    with psycopg.connect(url) as shop:
        names = [str(n) for (n,) in shop.execute("select tablename from pg_tables where schemaname = 'public'")]
        return {n: shop.execute(f"select * from {n} x order by x::text").fetchall() for n in sorted(names)}  # type: ignore[call-overload]


def test_everything_comes_back_and_secrets_open(running: Path, place: Path, wiring: Wiring) -> None:
    file = place / "one.backup"
    assert main(["backup", str(file), "--var", str(running)]) == 0
    assert file.stat().st_mode & 0o77 == 0
    before = everything(wiring.settings.database_url)
    assert len(before["shipment"]) >= 3
    with pytest.raises(BackupError, match="exists already"):
        back_up(running, file, MONDAY)
    assert main(["restore", str(file), "--var", str(place / "new")]) == 0
    with pytest.raises(BackupError, match="not empty"):
        restore(file, place / "new")
    cluster = Cluster(place / "new" / "postgres")
    try:
        assert everything(cluster.start()) == before
        engine = make_engine(cluster.url)
        with engine.connect() as shop:
            sealed = shop.exec_driver_sql("select secret_sealed from channel where code = 'tallyfair'").scalar_one()
        engine.dispose()
        assert Sealer(place / "new" / KEY).open(sealed) == wiring.outside.sealer.open(sealed)
    finally:
        cluster.stop()


def changed(file: Path, to: Path, change: Callable[[dict[str, bytes]], object]) -> Path:
    with tarfile.open(file) as tar:
        parts = {m.name: tar.extractfile(m).read() for m in tar}  # type: ignore[union-attr]
    change(parts)
    with tarfile.open(to, "w") as tar:
        for name, content in parts.items():
            info = tarfile.TarInfo(name)
            info.size = len(content)
            tar.addfile(info, io.BytesIO(content))
    return to


def fewer(parts: dict[str, bytes]) -> None:
    told = json.loads(parts[TOLD])
    told["counts"]["shipment"] += 1
    parts[TOLD] = json.dumps(told).encode()


def other_sum(parts: dict[str, bytes]) -> None:
    told = json.loads(parts[TOLD])
    told["ledger"]["available"] += 1
    parts[TOLD] = json.dumps(told).encode()


CASES: list[tuple[str, Callable[[dict[str, bytes]], object], str]] = [
    ("a row is missing", fewer, "rows differ .shipment"),
    ("a balance is another", other_sum, "balances differ .available"),
    ("the key was lost", lambda p: p.pop(KEY), "the key differ"),
    ("the key is another's", lambda p: p.update({KEY: b"A" * 43 + b"="}), "the key differ"),
    ("the dump is cut off", lambda p: p.update({DUMP: p[DUMP][: len(p[DUMP]) // 2]}), "pg_restore failed"),
    ("it says nothing of itself", lambda p: p.pop(TOLD), "no backup"),
    ("it says too much", lambda p: p.update({TOLD: b'{"more": 1}'}), "no backup"),
]


@pytest.mark.slow("a restore for each way to be broken")
@pytest.mark.long("a restore for each way to be broken")
def test_a_backup_that_is_not_whole_leaves_nothing(
    running: Path, place: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    file = place / "one.backup"
    back_up(running, file, MONDAY)
    for n, (name, change, words) in enumerate(some(CASES, 0, one_in=2)):
        with pytest.raises(BackupError, match=words):
            restore(changed(file, place / f"{n}.backup", change), place / "new")
        assert [p.name for p in (place / "new").iterdir()] == ["lock"], name
    cut = place / "cut.backup"
    cut.write_bytes(file.read_bytes()[:5_000])
    assert main(["restore", str(cut), "--var", str(place / "new")]) == 1
    assert "not a whole one" in capsys.readouterr().err
    assert main(["backup", str(place / "x"), "--var", str(place / "nowhere")]) == 1
    assert "no shop in" in capsys.readouterr().err
