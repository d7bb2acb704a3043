"""What an amendment changed, as a person reads it; and that it cannot be done."""

from __future__ import annotations

from dataclasses import dataclass

__all__ = ["Change", "NotThereError"]


class NotThereError(Exception):
    """The workbook has no such place; the message says what it has."""


@dataclass(slots=True)
class Change:
    """One cell (or sheet, when `cell` is '') that changes: what it is now and what it becomes, as a person reads it."""

    sheet: str
    cell: str
    old: str
    new: str
    #: Which amendment does it, from one.
    number: int = 1
