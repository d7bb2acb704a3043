"""Faults as values, and the exceptions that carry them up to whoever asked.

A fault has four parts: what stopped, where, why, and what to do. Core functions either return faults
beside their result (when more than one may be found) or raise one of these:

    TinQuireError
    ├── DataError     the data stopped it: a check, an unmatched key, a formula error   (exit 1)
    ├── UseError      wrong use, or a bad docket                                        (exit 2)
    └── AccessError   a file or a server could not be read or written                   (exit 3)
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace

__all__ = ["AccessError", "DataError", "Fault", "TinQuireError", "UseError", "in_options", "merge_errors"]


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


def merge_errors(errors: Sequence[TinQuireError]) -> TinQuireError:
    """Many errors as one that carries all their faults, each once; the gravest kind (highest exit code) leads.

    Raises: ValueError when there is none.
    """
    if not errors:
        raise ValueError("no errors to merge")
    leading = max(errors, key=lambda error: error.exit_code)
    return type(leading)(*dict.fromkeys(fault for error in errors for fault in error.faults))


def in_options(error: TinQuireError) -> TinQuireError:
    """The error with its remedies in the words of the command line, where there are such."""
    error.faults = tuple(replace(fault, do=fault.option or fault.do) for fault in error.faults)
    return error
