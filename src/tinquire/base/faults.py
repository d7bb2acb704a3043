"""Faults as values, and the exceptions that carry them up to whoever asked.

A fault has four parts: what stopped, where, why, and what to do. Core functions either return faults
beside their result (when more than one may be found) or raise one of these:

    TinQuireError
    ├── DataError     the data stopped it: a check, an unmatched key, a formula error   (exit 1)
    ├── UseError      wrong use, or a bad docket                                        (exit 2)
    └── AccessError   a file or a server could not be read or written                   (exit 3)
"""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Sequence
from dataclasses import asdict, dataclass, replace

__all__ = ["AccessError", "DataError", "Fault", "TinQuireError", "UseError", "merged", "nearest"]

#: A list of faults longer than this says the same thing over and over; the rest are counted instead.
LISTED_PLACES = 6


@dataclass(frozen=True, slots=True)
class Fault:
    """One thing that is wrong, said in four parts; each is a sentence or part of one, without markup."""

    stopped: str
    why: str
    where: str = ""
    do: str = ""
    warning: bool = False
    #: What to do in the words of the command line, where a command without a docket stopped.
    option: str = ""

    def as_dict(self) -> dict[str, object]:
        return {key: value for key, value in asdict(self).items() if key != "option"}

    def __str__(self) -> str:
        parts = (("stopped", self.stopped), ("where", self.where), ("why", self.why), ("do", self.do))
        return "; ".join(f"{name}: {text}" for name, text in parts if text)


class TinQuireError(Exception):
    """The root: one or more faults, and the exit code that the command line gives for them."""

    exit_code = 1

    def __init__(self, *faults: Fault) -> None:
        super().__init__("\n".join(str(fault) for fault in faults))
        self.faults = faults


class DataError(TinQuireError):
    """The data stopped it."""

    exit_code = 1


class UseError(TinQuireError):
    """The command was used wrongly, or the docket is wrong."""

    exit_code = 2


class AccessError(TinQuireError):
    """A file or a server could not be read or written."""

    exit_code = 3


def merged(errors: Sequence[TinQuireError]) -> TinQuireError:
    """Many errors as one that carries all their faults, each once; the gravest kind (highest exit code) leads.

    Raises: ValueError when there is none.
    """
    if not errors:
        raise ValueError("no errors to merge")
    leading = max(errors, key=lambda error: error.exit_code)
    return type(leading)(*dict.fromkeys(fault for error in errors for fault in error.faults))


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
    return "there is " + places([f"'{candidate}'" for candidate in known])


def places(items: Sequence[str]) -> str:
    """Several places as one phrase: the first few, and how many more."""
    shown = ", ".join(items[:LISTED_PLACES])
    rest = len(items) - LISTED_PLACES
    return f"{shown} and {rest:,} more" if rest > 0 else shown


def in_options(error: TinQuireError) -> TinQuireError:
    """The error with its remedies in the words of the command line, where there are such."""
    error.faults = tuple(replace(fault, do=fault.option or fault.do) for fault in error.faults)
    return error
