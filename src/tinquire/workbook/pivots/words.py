"""What a file calls the totals and blanks of its pivots, which is in the language of who made it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from tinquire.cells.dates import DateSystem
from tinquire.cells.display import general, show
from tinquire.cells.values import Value
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.pivots.definition import VALUES, Line, PivotDefinition
from tinquire.workbook.pivots.groupings import DAY_FORMATS

__all__ = ["Words", "item_text", "label_columns", "learned_words"]


@dataclass(frozen=True)
class Words:
    """What a file calls its totals and its blank items: `subtotal` and `total` have a place for a name."""

    grand: str = "Grand Total"
    subtotal: str = "{} Total"
    total: str = "Total {}"
    blank: str = "(blank)"
    #: How days are written within a total's name.
    day: str = DAY_FORMATS[0]


def item_text(value: Value, day: str | None = None, system: DateSystem = DateSystem.FROM_1900) -> str:
    """An item as it stands within a longer text; `day` is the format of a field of days."""
    if isinstance(value, bool):
        return str(value).upper()
    if isinstance(value, float):
        return general(value) if day is None else show(value, day, system).text
    return "" if value is None else str(value)


def label_columns(definition: PivotDefinition) -> list[int]:
    """The column, from the pivot's first, in which each row field's labels stand: a compact field shares its own with
    the one within it."""
    found, at = list[int](), 0
    for number in definition.rows:
        found.append(min(at, max(definition.first[2] - 1, 0)))
        if number == VALUES:
            compact = definition.compact_data and definition.outline_data
        else:
            compact = definition.fields[number].compact and definition.fields[number].outline
        at += 0 if compact else 1
    return found


def learned_words(
    sheet: Sheet, definition: PivotDefinition, rows: Sequence[Line], columns: Sequence[Line],
    items: Sequence[Sequence[Value]],
) -> Words:  # fmt: skip
    """The words that a pivot's cells show; `items` are the shared items of each field as they were."""
    words = Words()
    for field, line, value in _labels(sheet, definition, rows, columns):
        if line.kind == "grand":
            name = definition.data[line.data].name if line.data < len(definition.data) else ""
            if field != VALUES:
                words = replace(words, grand=value)
            elif name and name in value:
                words = replace(words, total=value.replace(name, "{}", 1))
            continue
        states = definition.fields[field].items or ()
        position = line.path[-1]
        if position >= len(states):
            continue
        shared = items[field][states[position].shared] if states[position].shared < len(items[field]) else None
        spelled = _spellings(states[position].caption or shared)
        own, day = next(((own, day) for own, day in spelled if own and own in value), ("", None))
        if line.kind == "default" and own:
            words = replace(words, subtotal=value.replace(own, "{}", 1), day=day or words.day)
        elif line.kind == "" and shared is None and states[position].caption is None:
            words = replace(words, blank=value)
    return words


def _spellings(value: Value) -> Iterator[tuple[str, str | None]]:
    """How an item may be written in a total's name, with the format if that takes it for a day."""
    yield item_text(value), None
    if isinstance(value, float):
        yield from ((item_text(value, day), day) for day in DAY_FORMATS)


def _labels(
    sheet: Sheet, definition: PivotDefinition, rows: Sequence[Line], columns: Sequence[Line]
) -> Iterator[tuple[int, Line, str]]:
    """The texts of labels that tell words: the field that each is of (VALUES for totals of several values), and its
    line."""
    area, (header, data_row, data_column) = definition.area, definition.first
    places = label_columns(definition)
    for axis, lines in ((definition.columns, columns), (definition.rows, rows)):
        for at, line in enumerate(lines):
            level = 0 if line.kind == "grand" else len(line.path) - 1
            several = VALUES in axis
            if line.kind == "blank" or not 0 <= level < len(axis) or (several and line.kind != "grand"):
                continue
            if axis is definition.rows:
                value = sheet.value(area.top + data_row + at, area.left + places[level])
            else:
                value = sheet.value(area.top + header + level, area.left + data_column + at)
            if isinstance(value, str) and value:
                yield VALUES if several else axis[level], line, value
