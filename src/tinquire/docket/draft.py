"""A first docket, drafted from the files of a folder: its sources with their types, and a workbook that shows them."""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from fnmatch import fnmatchcase
from itertools import takewhile

import tomlkit
from tomlkit.items import Table as TomlTable

from tinquire.base.faults import UseError
from tinquire.cells.periods import Period, parse_period
from tinquire.tables import Table
from tinquire.tables.column_facts import column_facts
from tinquire.tables.inference import MIXED

__all__ = [
    "Draft", "SourceDraft", "combined_type", "draft_docket", "pattern_of", "period_in", "plain_name", "sheet_pattern",
    "suggest_summary",
]  # fmt: skip

#: What may be a period in a path, by its kind; the finer kinds first.
_PERIODS = {
    "day": r"(?<!\d)\d{4}-\d{2}-\d{2}(?!\d)",
    "month": r"(?<!\d)\d{4}-\d{2}(?![-\d])",
    "quarter": r"(?<!\d)\d{4}-Q[1-4]",
    "week": r"(?<!\d)\d{4}-W\d{2}",
    "year": r"(?<!\d)(?:19|20)\d{2}(?![-\d])",
}
_SLOT = "[:period:]"
#: Letters that are spelled with two where there are only those of the Latin alphabet.
_LETTERS = {"ä": "ae", "ö": "oe", "ü": "ue", "ß": "ss", "æ": "ae", "ø": "oe", "å": "aa", "œ": "oe", "ł": "l"}
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
        for match in re.finditer(_PERIODS[kind], path):
            try:
                return parse_period(match[0], kind)
            except UseError:
                continue
    return None


def pattern_of(paths: Sequence[str]) -> tuple[str, bool]:
    """One spelling for several paths, periods as slots and what differs as `*`; and whether it means several files."""
    spelled = list(dict.fromkeys(_with_slot(path) for path in paths))
    if len(spelled) == 1:
        return spelled[0], False
    start, end = _around(spelled)
    middles = [path[len(start) : len(path) - len(end)] for path in spelled]
    return start + ("**/*" if any("/" in middle for middle in middles) else "*") + end, True


def sheet_pattern(names: Sequence[str], sheets: Sequence[str]) -> str | None:
    """One pattern for the names of several sheets of a workbook, `KW *` for KW 40 and KW 41; None when it would mean
    others of its sheets too, or anything."""
    start, end = _around(names)
    pattern = f"{start}*{end}"
    meant = [name for name in sheets if fnmatchcase(name.casefold(), pattern.casefold())]
    return (
        pattern if len(pattern) > 1 and sorted(meant) == sorted(names) and not set("*?[") & set(start + end) else None
    )


def plain_name(text: str) -> str:
    """A text as a name in small Latin letters: `Kasse Nord Verkäufe` is `kasse_nord_verkaeufe`."""
    for letter, spelled in _LETTERS.items():
        text = text.replace(letter, spelled).replace(letter.upper(), spelled)
    bare = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode()
    return re.sub(r"[^a-z0-9]+", "_", bare.lower()).strip("_")


def _around(texts: Sequence[str]) -> tuple[str, str]:
    """What all texts begin and end with. Words and numbers differ as wholes, not by their letters: of Nord and Süd the
    last one is not kept, for the next branch may be called Mitte."""
    start = _common(texts)
    end = _common([text[len(start) :][::-1] for text in texts])[::-1]
    middles = [text[len(start) : len(text) - len(end)] for text in texts]
    whole_start, whole_end = start, end
    for same_kind in (str.isalpha, str.isdigit):
        if start and same_kind(start[-1]) and any(same_kind(middle[:1] or end[:1]) for middle in middles):
            whole_start = start[: len(start) - len(list(takewhile(same_kind, reversed(start))))]
        if end and same_kind(end[0]) and any(same_kind(middle[-1:] or start[-1:]) for middle in middles):
            whole_end = end[len(list(takewhile(same_kind, end))) :]
    # A pattern without a word at its start would match all other files of the folder, too.
    return (whole_start if whole_start.rpartition("/")[2] or not start.rpartition("/")[2] else start), whole_end


def _common(texts: Sequence[str]) -> str:
    """What all texts begin with."""
    first, last = min(texts), max(texts)
    return next((first[:index] for index, letter in enumerate(first) if last[index : index + 1] != letter), first)


def _with_slot(path: str) -> str:
    found = period_in(path)
    return path if found is None else path.replace(found.text, _SLOT)


def combined_type(kinds: Sequence[str]) -> str:
    """The type of a column that each file has another one for: days in an order where some are texts; else what most
    files have, since a few texts among numbers are for the docket to speak of."""
    kinds = [kind for kind in kinds if kind != MIXED] or ["text"]
    different = set(kinds)
    if all(kind.startswith("date") for kind in different):
        ordered = sorted(kind for kind in different if " " in kind)
        return ordered[0] if len(ordered) == 1 else "date"
    if frozenset(different) in _SAME:
        return _SAME[frozenset(different)]
    return Counter(kinds).most_common(1)[0][0]


def draft_docket(draft: Draft) -> str:
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
    source = max(able, key=lambda item: item.rows)
    name = plain_name(str(source.label)) or "label"
    return [
        f"[pivots.by_{name}]",
        f"from   = {tomlkit.item(source.name).as_string()}",
        f"rows   = [{tomlkit.item(source.label).as_string()}]",
        f"values = [{{ sum = {tomlkit.item(source.amount).as_string()} }}]",
        'totals = "All"',
    ]


def suggest_summary(table: Table, types: Mapping[str, str]) -> tuple[str | None, str | None]:
    """By which column a table may be summed up, the one with the fewest different texts; and which may be added up."""
    facts = [column_fact for column_fact in column_facts(table) if column_fact.filled]
    labels = [fact for fact in facts if types.get(fact.heading) == "text" and fact.different > 1]
    label = min(labels, key=lambda item: item.different, default=None)
    for kind in ("money", "number", "whole"):
        amount = next((fact.heading for fact in facts if types.get(fact.heading) == kind), None)
        if amount is not None:
            return (label.heading if label else None), amount
    return None, None
