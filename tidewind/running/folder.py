"""The folder with everything of one installation: who holds it, who may read it, and the secrets of its database."""

from __future__ import annotations

import fcntl
import json
import os
import secrets
import shutil
from pathlib import Path
from typing import Any

LOCK, STATE = "lock", "running.json"


class FolderTaken(RuntimeError):
    """Another process holds the folder; the message says which, and what to do."""


class DataFolder:
    """The folder of one installation.

    It is held by a lock of the kernel, which ends with the process that has it, however that ends: a file of process
    ids would outlive a power cut and then name somebody else's process.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self._lock: int | None = None

    def take(self) -> None:
        """Hold the folder from now on, making it at need.  Raises FolderTaken where another process holds it."""
        if self._lock is not None:
            return
        self.path.mkdir(parents=True, exist_ok=True)
        # The superuser's PostgreSQL runs as another user, who has to pass through but may not list anything.
        self.path.chmod(0o711 if os.getuid() == 0 else 0o700)
        handle = os.open(self.path / LOCK, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            holder = os.read(handle, 20).decode(errors="replace").strip() or "unknown"
            os.close(handle)
            raise FolderTaken(
                f"Tidewind runs already from {self.path} (process {holder}). Nothing was touched. "
                "Stop it there first (Ctrl-C)."
            ) from None
        self._close_to_others()
        os.ftruncate(handle, 0)
        os.write(handle, str(os.getpid()).encode())
        self._lock = handle

    def _close_to_others(self) -> None:
        """Take from others what an older version left open to them: logs, the sealing key, what stand-ins know."""
        for inside in self.path.iterdir():
            if inside.is_file() and not inside.is_symlink():
                inside.chmod(0o600)

    def give_back(self) -> None:
        """Let others have the folder."""
        (self.path / STATE).unlink(missing_ok=True)
        if self._lock is not None:
            os.close(self._lock)
            self._lock = None

    def empty(self) -> None:
        """Throw everything in the folder away but the lock, which stays held meanwhile."""
        for inside in self.path.iterdir():
            if inside.name == LOCK:
                continue
            if inside.is_dir() and not inside.is_symlink():
                shutil.rmtree(inside)
            else:
                inside.unlink()

    def log(self, name: str) -> int:
        """Open the log of a process to write at its end; only the owner of the folder can read it."""
        return os.open(self.path / f"{name}.log", os.O_WRONLY | os.O_APPEND | os.O_CREAT | os.O_CLOEXEC, 0o600)

    def write_state(self, state: dict[str, Any]) -> None:
        """Note where the running program is reached; the database's address has its password in it."""
        write_secretly(self.path / STATE, json.dumps(state, indent=1))

    def has(self, mark: str) -> bool:
        """Tell whether a mark was set."""
        return (self.path / mark).exists()

    def mark(self, mark: str) -> None:
        """Set a mark."""
        (self.path / mark).touch(mode=0o600)


def write_secretly(path: Path, text: str) -> None:
    """Write a file that its owner alone can read, whole or not at all."""
    half = path.with_name(f"{path.name}.half")
    half.unlink(missing_ok=True)
    with os.fdopen(os.open(half, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
        file.write(text)
    half.replace(path)


def secrets_of_database(path: Path) -> dict[str, str]:
    """Return the passwords of the database's superuser (``admin``) and of the program (``program``), made at need."""
    try:
        found: dict[str, str] = json.loads(path.read_text())
        return {"admin": found["admin"], "program": found["program"]}
    except FileNotFoundError:
        made = {"admin": secrets.token_urlsafe(24), "program": secrets.token_urlsafe(24)}
        write_secretly(path, json.dumps(made))
        return made
