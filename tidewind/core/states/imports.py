"""Where the import of a file stands."""

from __future__ import annotations

from enum import StrEnum

from tidewind.core.states.machine import Machine


class ImportState(StrEnum):
    """Where it stands."""

    MAPPING = "mapping"
    RUNNING = "running"
    DONE = "done"
    UNDONE = "undone"


class ImportMove(StrEnum):
    """What can happen to an import; run again it makes only what is not there yet."""

    RUN = "be_run"
    FINISH = "be_finished"
    UNDO = "be_taken_back"


_S = ImportState
IMPORT_MOVES: Machine[ImportState, ImportMove] = Machine(
    "the import",
    {
        ImportMove.RUN: ((_S.MAPPING, _S.DONE, _S.UNDONE), _S.RUNNING),
        ImportMove.FINISH: ((_S.RUNNING,), _S.DONE),
        ImportMove.UNDO: ((_S.DONE,), _S.UNDONE),
    },
)
