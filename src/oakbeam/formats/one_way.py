"""One-way keys of what an identifier stands for: the same for the same, and telling nothing of it."""

from __future__ import annotations

import hashlib
import hmac
import re
from base64 import b32encode
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class OneWay:
    """Makes keys that tell nothing of what they were made from, and differ between departments. rooms: (id, name)
    of the department's, so that a machine named after one is known."""

    salt: str
    rooms: tuple[tuple[str, str], ...] = ()

    def room(self, station: str) -> str:
        """The id of the room that a station is named after; "" for any other name."""
        said = _plain(station)
        return next((room for room, name in self.rooms if said and said in (_plain(room), _plain(name))), "")

    def key(self, kind: str, text: str) -> str:
        """20 letters and digits (100 bits of HMAC-SHA-256)."""
        found = hmac.new(self.salt.encode(), f"{kind}\0{text.strip()}".encode(), hashlib.sha256).digest()
        return b32encode(found).decode().lower()[:20]


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]", "", name.lower())
