"""A first docket, drafted from files at hand: its sources with their types, and a workbook that shows them."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import tomlkit
from tomlkit.items import Table as TomlTable

from tinquire.docket.period import Period, parse_period
from tinquire.faults import UseError
from tinquire.tables import Table
from tinquire.tables.columnfacts import column_facts

__all__ = ["Draft", "SourceDraft", "combined_type", "drafted", "pattern_of", "period_in", "suggested"]

#: What may be a period in a path, by its kind; the finer kinds first.
_PERIODS = {
    "day": r"(?<!\d)\d{4}-\d{2}-\d{2}(?!\d)",
    "month": r"(?<!\d)\d{4}-\d{2}(?![-\d])",
    "quarter": r"(?<!\d)\d{4}-Q[1-4]",
    "week": r"(?<!\d)\d{4}-W\d{2}",
    "year": r"(?<!\d)(?:19|20)\d{2}(?![-\d])",
}
_SLOT = "[:period:]"
#: Types of texts that say the same as numbers that are shown so.
_SAME = {
    frozenset({"whole", "number"}): "number",
    frozenset({"whole", "money"}): "money",
    frozenset({"number", "money"}): "money",
}


@dataclass(frozen=True, slots=True)
class SourceDraft:
    """One source: its name, its file or pattern of files, a sheet if there are several, and its columns' types."""

    name: str
    path: str
    many: bool
    sheet: str | None
    types: Mapping[str, str]
    rows: int = 0
    #: A column by which the rows may be summed up, and one that may be added up.
    label: str | None = None
    amount: str | None = None


@dataclass(frozen=True, slots=True)
class Draft:
    """A docket: its title, the kind of its periods, and its sources."""

    title: str
    period: str
    sources: Sequence[SourceDraft]


def period_in(path: str, kinds: Iterable[str] = _PERIODS) -> Period | None:
    """The period that a path names, of the first kind that it has."""
    for kind in kinds:
        for found in re.finditer(_PERIODS[kind], path):
            try:
                return parse_period(found[0], kind)
            except UseError:
                continue
    return None


def pattern_of(paths: Sequence[str]) -> tuple[str, bool]:
    """One spelling for several paths, periods as slots and what differs as `*`; and whether it means several files."""
    spelled = list(dict.fromkeys(_with_slot(path) for path in paths))
    if len(spelled) == 1:
        return spelled[0], False
    start = _common(spelled)
    end = _common([path[len(start) :][::-1] for path in spelled])[::-1]
    middles = [path[len(start) : len(path) - len(end)] for path in spelled]
    return start + ("**/*" if any("/" in middle for middle in middles) else "*") + end, True


def _common(texts: Sequence[str]) -> str:
    """What all texts begin with."""
    first, last = min(texts), max(texts)
    return next((first[:place] for place, letter in enumerate(first) if last[place : place + 1] != letter), first)


def _with_slot(path: str) -> str:
    found = period_in(path)
    return path if found is None else path.replace(found.text, _SLOT)


def combined_type(kinds: Sequence[str]) -> str:
    """The type of a column that each file has another one for: days in an order where some are texts; else what most
    files have, since a few texts among numbers are for the docket to speak of."""
    different = set(kinds)
    if all(kind.startswith("date") for kind in different):
        ordered = sorted(kind for kind in different if " " in kind)
        return ordered[0] if len(ordered) == 1 else "date"
    if frozenset(different) in _SAME:
        return _SAME[frozenset(different)]
    return Counter(kinds).most_common(1)[0][0]


def drafted(draft: Draft) -> str:
    """The docket's text."""
    made = tomlkit.document()
    made.add(tomlkit.comment("A first draft: 'tinquire check' says what is wrong with it."))
    made["title"], made["period"] = draft.title, draft.period
    sources = tomlkit.table(is_super_table=True)
    for source in draft.sources:
        sources[source.name] = _source(source)
    made["sources"] = sources
    made.add(tomlkit.nl())
    for line in _hints(draft):
        made.add(tomlkit.comment(line))
    book = tomlkit.table()
    book["name"] = f"{draft.title} {_SLOT}.xlsx"
    sheets = tomlkit.aot()
    for source in draft.sources:
        sheet = tomlkit.table()
        sheet["name"], sheet["table"] = source.name.replace("_", " ").capitalize()[:31], source.name
        sheets.append(sheet)
    book["sheets"] = sheets
    workbooks = tomlkit.table(is_super_table=True)
    workbooks["pack"] = book
    made["workbooks"] = workbooks
    return tomlkit.dumps(made)


def _source(source: SourceDraft) -> TomlTable:
    table = tomlkit.table()
    table["files" if source.many else "file"] = source.path
    if source.sheet is not None:
        table["sheet"] = source.sheet
    if source.types:
        types = tomlkit.inline_table()
        types.update(source.types)
        table["types"] = types
    return table


def _hints(draft: Draft) -> list[str]:
    """A pivot that the largest source might have, to be made one's own."""
    able = [source for source in draft.sources if source.label and source.amount]
    if not able:
        return []
    source = max(able, key=lambda one: one.rows)
    name = re.sub(r"[^a-z0-9]+", "_", str(source.label).lower()).strip("_") or "label"
    return [
        f"[pivots.by_{name}]",
        f"from   = {tomlkit.item(source.name).as_string()}",
        f"rows   = [{tomlkit.item(source.label).as_string()}]",
        f"values = [{{ sum = {tomlkit.item(source.amount).as_string()} }}]",
        'totals = "All"',
    ]


def suggested(table: Table, types: Mapping[str, str]) -> tuple[str | None, str | None]:
    """By which column a table may be summed up, the one with the fewest different texts; and which may be added up."""
    facts = [one for one in column_facts(table) if one.filled]
    labels = [one for one in facts if types.get(one.heading) == "text" and one.different > 1]
    label = min(labels, key=lambda one: one.different, default=None)
    for kind in ("money", "number", "whole"):
        amount = next((one.heading for one in facts if types.get(one.heading) == kind), None)
        if amount is not None:
            return (label.heading if label else None), amount
    return None, None
