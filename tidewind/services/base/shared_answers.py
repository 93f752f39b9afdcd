"""One answer for all who asked before its making began: one change lets every open page ask for the same at once."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass, field
from threading import Event, Lock
from typing import Generic, TypeVar

V = TypeVar("V")


@dataclass(slots=True)
class _Round(Generic[V]):
    """An answer that somebody is about to make; until its making begins, others may join."""

    done: Event = field(default_factory=Event)
    made: list[V] = field(default_factory=list)


@dataclass(slots=True)
class _Table(Generic[V]):
    """All who ask for one thing now: whose turn it is to make it, the round that can be joined, and how many lead."""

    turn: Lock = field(default_factory=Lock)
    open: _Round[V] | None = None
    leading: int = 0


class SharedAnswers(Generic[V]):
    """Lets whoever asks for the same at the same time share one answer.

    It is never older than a question: an answer is shared by those alone who came before its making began.  Nothing is
    kept beyond that.  At the checkout's door different questions are gathered into one look (``web.rates.together``).
    """

    def __init__(self) -> None:
        self._lock = Lock()
        self._tables: dict[Hashable, _Table[V]] = {}

    def answer_to(self, asked: Hashable, make: Callable[[], V]) -> V:
        """Return what ``make`` returns, called here, or by somebody else who asks for the same.

        Where another's making fails, each makes it by himself: a fault is told to everybody by his own words.
        """
        with self._lock:
            table = self._tables.setdefault(asked, _Table())
            joined, mine = table.open, table.open or _Round()
            if joined is None:
                table.open = mine
                table.leading += 1
        if joined is None:
            return self._lead(asked, table, mine, make)
        joined.done.wait()
        return joined.made[0] if joined.made else make()

    def _lead(self, asked: Hashable, table: _Table[V], mine: _Round[V], make: Callable[[], V]) -> V:
        try:
            with table.turn:  # the round before is still being made; who comes meanwhile joins this one
                with self._lock:
                    table.open = None
                answer = make()
                mine.made.append(answer)
                return answer
        finally:
            mine.done.set()
            with self._lock:
                table.leading -= 1
                if not table.leading:
                    del self._tables[asked]
