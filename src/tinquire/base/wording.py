"""Words for messages: counted things, lists that are cut, and the names nearest to one that is not known."""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Sequence

__all__ = ["counted", "known_names", "listed", "nearest"]

#: A longer list says the same thing over and over; the rest is counted.
_LISTED = 6


def counted(count: int, thing: str, things: str = "") -> str:
    """A number of things: `1 row`, `2,516 rows`; `things` is their name where it does not end in s."""
    return f"{count:,} {thing if count == 1 else things or thing + 's'}"


def listed(items: Sequence[str], most: int = _LISTED) -> str:
    """Several items as one phrase: the first few, and how many more."""
    rest = len(items) - most
    shown = ", ".join(items[:most])
    return f"{shown} and {rest:,} more" if rest > 0 else shown


def nearest(name: str, known: Iterable[str], *, count: int = 1) -> tuple[str, ...]:
    """The known names most like the given one, nearest first; case and outer spaces do not matter."""
    by_folded = {candidate.strip().casefold(): candidate for candidate in known}
    found = difflib.get_close_matches(name.strip().casefold(), list(by_folded), n=count, cutoff=0.55)
    return tuple(by_folded[key] for key in found)


def known_names(name: str, known: Sequence[str]) -> str:
    """The ending of a 'why' sentence: the nearest known name, or else all of them."""
    if near := nearest(name, known):
        return f"the nearest is '{near[0]}'"
    if not known:
        return "there is none"
    return "there is " + listed([f"'{candidate}'" for candidate in known])
