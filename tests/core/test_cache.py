"""The one cache of the core."""

from __future__ import annotations

from oakbeam.core.cache import cached, cached_by_object, forget_all


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
