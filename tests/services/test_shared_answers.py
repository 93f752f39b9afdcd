"""What many ask for at once is made once, and never for a question that came after its making began."""

from __future__ import annotations

import random
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from threading import Event

import pytest

from tidewind.services.base import SharedAnswers


def until(holds: Callable[[], bool]) -> None:
    ends = time.monotonic() + 10
    while not holds():
        assert time.monotonic() < ends
        time.sleep(0.002)


def test_who_came_before_the_making_began_shares_it_and_who_came_later_does_not() -> None:
    shared, made, goes_on, begun = SharedAnswers[int](), [], Event(), Event()

    def make() -> int:
        made.append(0)
        n = len(made)
        begun.set()
        assert goes_on.wait(10)
        return n

    with ThreadPoolExecutor(12) as people:
        first = people.submit(shared.answer_to, "page", make)
        assert begun.wait(10)
        later = [people.submit(shared.answer_to, "page", make) for _ in range(8)]
        until(people._work_queue.empty)
        other = people.submit(shared.answer_to, "another page", make)
        until(lambda: len(made) == 2)  # another question waits for nobody
        goes_on.set()
        assert first.result() == 1
        assert other.result() == 2
        assert all(answer.result() >= 3 for answer in later)
        assert len(made) < 2 + 8
    assert shared._tables == {}


def test_a_fault_is_told_to_everybody_by_his_own_attempt() -> None:
    shared, tries, begun, goes_on = SharedAnswers[str](), [], Event(), Event()

    def make() -> str:
        tries.append(1)
        begun.set()
        assert goes_on.wait(10)
        if len(tries) % 2:
            raise LookupError(f"attempt {len(tries)}")
        return "read"

    with ThreadPoolExecutor(4) as people:
        first = people.submit(shared.answer_to, 1, make)
        assert begun.wait(10)
        goes_on.set()
        with pytest.raises(LookupError, match="attempt 1"):
            first.result()
        assert shared.answer_to(1, make) == "read"
    assert shared._tables == {}


def test_no_answer_is_older_than_its_question() -> None:
    shared, truth, makings = SharedAnswers[int](), [0], [0]

    def make() -> int:
        makings[0] += 1
        seen = truth[0]
        time.sleep(random.random() / 2_000)
        return seen

    def ask(seed: int) -> int:
        chance = random.Random(seed)
        for _ in range(60):
            if chance.random() < 0.3:
                truth[0] += 1  # what is written before one asks is in the answer
            known = truth[0]
            assert shared.answer_to("page", make) >= known
        return 60

    with ThreadPoolExecutor(12) as people:
        asked = sum(people.map(ask, range(12)))
    assert 0 < makings[0] < asked
    assert shared._tables == {}
