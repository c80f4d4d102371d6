"""The one cache of the core."""

from __future__ import annotations

import threading
import time
from concurrent.futures import ThreadPoolExecutor

from oakbeam.core.cache import cached, cached_beside, cached_by_object, forget_all


def test_an_answer_is_kept_by_what_its_arguments_say_and_the_oldest_goes_first():
    for decorate in (cached, cached_by_object):
        asked = []

        @decorate(2)
        def work(a, b, asked=asked):
            asked.append((a, b))
            return a + b

        first, same = (1, 2), (1, 2)
        assert work(first, (3,)) == work(same, (3,)) == (1, 2, 3)
        assert len(asked) == 1
        for n in range(5):
            work((n,), ())
        assert work(first, (3,)) == (1, 2, 3)
        assert len(asked) == 7
        forget_all()
        work(first, (3,))
        assert len(asked) == 8


def test_what_many_ask_for_at_once_is_worked_out_once():
    asked, all_there = [], threading.Barrier(4)

    @cached_by_object(8)
    def work(line):
        asked.append(line)
        time.sleep(0.05)
        return len(asked)

    def ask(_):
        all_there.wait()
        return work((1, 2))

    with ThreadPoolExecutor(4) as threads:
        assert list(threads.map(ask, range(4))) == [1, 1, 1, 1]
    assert asked == [(1, 2)]


def test_beside_an_object_an_answer_is_kept_by_which_object_it_is():
    asked = []

    @cached_beside(1, 3)
    def work(room, kvp):
        asked.append((room, kvp))
        return len(asked)

    here, like_it = [1], [1]
    assert [work(here, 80.0), work(here, 80), work(like_it, 80), work(here, 90)] == [1, 1, 2, 3]
    # Full: it begins anew, and never takes one object for another that has its place in memory.
    assert [work([n], 80) for n in range(40)] == list(range(4, 44))
    forget_all()
    assert work(here, 80) == 44
