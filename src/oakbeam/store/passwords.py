"""Which passwords are too easy to guess: the common ones, runs of keys, few characters, one's own name."""

from __future__ import annotations

import re
from functools import cache
from importlib.resources import files

LEAST_DIFFERENT = 5
RUNS = ("abcdefghijklmnopqrstuvwxyz", "01234567890123456789", "qwertyuiopasdfghjklzxcvbnm", "qwertzuiopasdfghjklyxcvbnm")
"""What fingers run along."""


@cache
def common() -> frozenset[str]:
    """The words that common passwords are made of, with their usual endings taken off; see the file beside this module."""
    text = (files(__package__) / "common_passwords.txt").read_text(encoding="utf-8")
    return frozenset(line for line in text.splitlines() if line and not line.startswith("#"))


def weakness(password: str, person_id: str, name: str) -> str | None:
    """Why a password is too easy, as a sentence; None where it is not."""
    plain = password.casefold()
    if len(set(plain)) < LEAST_DIFFERENT:
        return f"It has fewer than {LEAST_DIFFERENT} different characters."
    letters = re.sub(r"[^a-z0-9]", "", plain)
    if any(letters and (letters in run or letters in run[::-1]) for run in RUNS):
        return "It is a run of neighbouring keys."
    bare = _unspelt(plain)
    if bare in common() or letters in common() or bare * 2 in common() or bare[: len(bare) // 2] * 2 == bare:
        return "It is one of the passwords that are tried first."
    own = {word for word in re.split(r"[^a-z]+", f"{person_id} {name}".casefold()) if len(word) >= 4}
    if any(bare.replace(word, "", 1).strip("0123456789") == "" for word in own):
        return "It is made of the person's own name."
    return None


def _unspelt(plain: str) -> str:
    """A password without what is usually put around and into a word: figures and marks at the ends, letters as figures."""
    bare = re.sub(r"^[^a-z]+|[^a-z]+$", "", plain)
    return re.sub(r"[^a-z]", "", bare.translate(str.maketrans("013457@$!", "oieastasi")))
