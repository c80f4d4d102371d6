"""What the core offers by name, and the example that stands with it."""

from __future__ import annotations

import doctest
import inspect

import oakbeam.core


def test_the_example_of_the_public_surface_is_true():
    assert doctest.testmod(oakbeam.core).failed == 0
    assert doctest.testmod(oakbeam.core).attempted > 4


def test_every_public_name_says_what_it_is():
    for name in oakbeam.core.__all__:
        thing = getattr(oakbeam.core, name)
        if inspect.isclass(thing) or inspect.isfunction(thing):
            assert len(inspect.getdoc(thing) or "") > 25, name
