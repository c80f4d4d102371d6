"""Addresses as nobody here writes them are refused before anything looks for what they name.

Two readers of one address may differ about a control character, a slash that is written as %2F, a doubled slash or a dot
segment: a proxy in front about what it lets through, the framework about what it finds. So such an address has no answer but
this one, whoever asks.
"""

from __future__ import annotations

import re
import unicodedata

from starlette.types import ASGIApp, Receive, Scope, Send

from oakbeam.api.rules import METHODS
from oakbeam.core.errors import Refusal

MOST_ADDRESS = 500
"""The most bytes of an address without its query; none of ours is longer, and a file system refuses much longer ones."""
ANSWERED = frozenset((*METHODS, "HEAD", "OPTIONS"))
_AS_WRITTEN = re.compile(rb"/(?:[A-Za-z0-9._~!$&'()*+,;=:@/-]|%[0-9A-Fa-f]{2})*")
_NEEDLESS = re.compile(rb"%(?:2[DEF]|5[CF]|7[EF]|3\d|[46][1-9A-F]|[57][0-9A]|[01][0-9A-F])", re.IGNORECASE)
"""Escapes of a letter, a figure, a dash, dot, tilde or low line, which need none; of a slash; of a control character."""
_SEPARATE = ("Cc", "Cf", "Cs", "Zl", "Zp")
"""Kinds of characters that are not seen, or that end a line."""


class OddAddress(Refusal):
    """An address, or a method, that nothing here has."""

    def __init__(self, what: str) -> None:
        says = f"The address {what}. Addresses here are /api and plain names between single slashes, as the API describes."
        super().__init__("Not an address of this application", says, None, "address")


def oddness(path: str, as_sent: bytes) -> str | None:
    """What is odd about an address, to follow "the address"; None where it is written as ours are.

    path: decoded; as_sent: with its escapes and without its query.
    """
    if len(as_sent) > MOST_ADDRESS:
        return f"is longer than {MOST_ADDRESS} bytes"
    if any(unicodedata.category(one) in _SEPARATE for one in path) or "\N{REPLACEMENT CHARACTER}" in path:
        return "holds a control character, or is not UTF-8"
    if not _AS_WRITTEN.fullmatch(as_sent):
        return "holds a character that is not written so in an address"
    if _NEEDLESS.search(as_sent):
        return "escapes what needs no escape, or a slash"
    if "//" in path or any(part in (".", "..") for part in path.split("/")):
        return "holds a doubled slash or a dot segment"
    # What only looks like /api: in other case or width, with a space or a parameter beside it.
    first = path.split("/")[1]
    if first != "api" and re.split(r"[\s;]", unicodedata.normalize("NFKC", first).strip())[0].casefold() == "api":
        return "is /api in another spelling"
    return None


class Addresses:
    """ASGI: refuses odd addresses and methods that nothing here answers. Raises OddAddress."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http":
            path: str = scope["path"]
            odd = oddness(path, scope.get("raw_path") or path.encode("utf-8", "replace"))
            if odd is None and scope["method"] not in ANSWERED:
                odd = "is asked by a method that nothing here answers"
            if odd is not None:
                # For the log: that it was refused, and nothing of what was asked.
                scope["operation"], refusal = "odd address", OddAddress(odd)
                scope["refused"] = refusal.title
                raise refusal
        await self.app(scope, receive, send)
