"""What a letter made by a form was filled with, for those who know other letters of that form."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import chain

from tinquire.document.form_pieces import Pieces, Repeat, content_of
from tinquire.packages.deflate import Packed

__all__ = ["FilledTexts", "RepeatTexts"]


@dataclass(frozen=True, slots=True)
class RepeatTexts:
    """What is repeated, the texts of each of its slots in all rows, and how many rows there are."""

    repeat: Repeat
    columns: Sequence[Sequence[str]]
    rows: int


@dataclass(frozen=True, slots=True)
class FilledTexts:
    """A letter's form, known by its identity, the form's parts, and the texts of its slots; the contents of pictures.

    Letters with the same `shape` have the same markup but for these texts and contents.
    """

    form: object
    parts: Mapping[str, Pieces]
    texts: Sequence[str]
    repeats: Sequence[RepeatTexts]
    pictures: Sequence[Packed]

    @property
    def shape(self) -> tuple[object, ...]:
        return (self.form, *(one.rows for one in self.repeats))

    def flat(self) -> list[str]:
        """All texts, one after the other."""
        return [*self.texts, *chain.from_iterable(column for one in self.repeats for column in one.columns)]

    def marked(self, token: Callable[[int], str]) -> dict[str, bytes]:
        """The parts with tokens in the place of texts, by their numbers among all."""
        place = len(self.texts)
        rows: dict[int, str] = {}
        for one in self.repeats:
            columns = []
            for column in one.columns:
                columns.append([token(place + row) for row in range(len(column))])
                place += len(column)
            inside = one.repeat.inside
            count = range(one.rows)
            rows[id(one.repeat)] = "".join(inside.spelled([column[row] for column in columns]) for row in count)
        texts = [token(number) for number in range(len(self.texts))]
        return {part: content_of(pieces, texts, rows) for part, pieces in self.parts.items()}
