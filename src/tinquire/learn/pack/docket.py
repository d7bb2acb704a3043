"""What explains a finished pack, as the text of a docket."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from tinquire.cells.periods import Period
from tinquire.docket.draft import Draft, SourceDraft
from tinquire.learn.pack.explain import FoundSheet, PackFound
from tinquire.learn.values import in_toml
from tinquire.learn.writing import inline, remark

__all__ = ["docket_of"]


def docket_of(draft: Draft, found: PackFound, book_name: str, period: Period | None) -> str:
    """The docket's text: sources, tables, pivots, figures and the workbook. What nothing explains stands where it is to
    be filled in, as a comment; where texts name the pack's period, that becomes a slot."""
    types = {source.name: _types(source, found) for source in draft.sources}
    types |= {name: {**table.base.types, **table.types} for name, table in found.tables.items()}
    lines = [
        "# Drafted from last month's pack: 'tinquire check' says what is wrong with it, 'fill in' what is left to do.",
        f"title  = {_text(draft.title)}",
        f"period = {_text(draft.period)}",
        'style  = "house.toml"',
        *_sources(draft.sources, found),
        *_tables(found),
        *_pivots(found),
        *_figures(found),
        "",
        "[workbooks.pack]",
        f"name = {_text(book_name)}",
    ]
    for sheet in found.sheets:
        lines += _sheet(sheet, period, types.get(sheet.of, {}))
    return "\n".join(lines) + "\n"


def _text(value: Any) -> str:
    text: str = inline(value).as_string()
    return text


def _sources(sources: Sequence[SourceDraft], found: PackFound) -> Iterator[str]:
    for source in sources:
        yield ""
        yield f"[sources.{source.name}]"
        yield f"{'files' if source.many else 'file'} = {_text(source.path)}"
        if source.sheet is not None:
            yield f"sheet = {_text(source.sheet)}"
        if source.types:
            yield f"types = {_text(_types(source, found))}"
        if read_as := dict(_read_as(source.name, found)):
            yield f"read_as = {_text(read_as)}"
        if stamps := found.stamps.get(source.name):
            yield f"stamp = {_text(stamps)}"


def _types(source: SourceDraft, found: PackFound) -> dict[str, str]:
    """The types of a source's columns, numbers as what the pack shows them as."""
    types = dict(source.types)
    for table in found.tables.values():
        types |= {column: kind for name, column, kind in table.key_types if name == source.name}
        if table.base.name == source.name:
            back = {new: old for step in table.steps for old, new in step.get("rename", {}).items()}
            types |= {back.get(name, name): kind for name, kind in table.retyped.items()}
    for table in found.tables.values():
        named = {old: new for step in table.steps for old, new in step.get("rename", {}).items()}
        for step in table.steps:
            if step.get("match") == source.name:
                bring = step["bring"]
                named |= {name: name for name in bring} if isinstance(bring, list) else bring
        for name, kind in types.items():
            shown = table.types.get(named.get(name, name))
            own = table.base.name == source.name or name in named
            if own and kind in ("number", "whole") and shown in ("money", "percent"):
                types[name] = shown
    return types


def _read_as(source: str, found: PackFound) -> Iterator[tuple[str, dict[str, Any]]]:
    """What stands for a value in a source, by its column."""
    for table in found.tables.values():
        if table.base.name == source:
            names = {new: old for step in table.steps for old, new in step.get("rename", {}).items()}
            for name, values in table.read_as.items():
                yield names.get(name, name), {old: in_toml(new) for old, new in values.items()}


def _tables(found: PackFound) -> Iterator[str]:
    for name, table in found.tables.items():
        yield ""
        yield f"[tables.{name}]"
        yield f"from  = {_text(table.base.name)}"
        yield "steps = ["
        yield from (f"  {_text(step)}," for step in table.steps)
        yield from (f"  # fill in: {remark(what)}" for what in table.left)
        yield "]"


def _pivots(found: PackFound) -> Iterator[str]:
    for name, keys in found.pivots.items():
        yield ""
        yield f"[pivots.{name}]"
        yield from (f"{key} = {_text(value)}" for key, value in keys.items())


def _figures(found: PackFound) -> Iterator[str]:
    if found.figures:
        yield ""
        yield "[figures]"
        yield from (
            f"{name} = {_text({'is': formula, **_kind(name, found)})}" for name, formula in found.figures.items()
        )


def _kind(name: str, found: PackFound) -> dict[str, str]:
    return {"type": found.kinds[name]} if name in found.kinds else {}


def _sheet(sheet: FoundSheet, period: Period | None, types: Mapping[str, str]) -> Iterator[str]:
    yield ""
    if not sheet.shows:
        yield remark(f"# fill in: the sheet {_text(sheet.name)}: {', '.join(sheet.left) or 'what it shows'}")
        return
    yield "[[workbooks.pack.sheets]]"
    yield f"name = {_text(sheet.called or sheet.name)}"
    keys: dict[str, Any] = {}
    if sheet.shows == "figures":
        keys["blocks"] = [{"figures": dict(sheet.figures)}]
    else:
        keys[sheet.shows] = sheet.of
        if sheet.title is not None:
            keys["title"] = _with_slots(sheet.title, period)
        if sheet.shows == "table":
            keys["columns"] = sheet.columns
        if sheet.totals:
            keys |= {"totals": sheet.totals, **({"total_label": sheet.total_label} if sheet.total_label else {})}
    odd = {
        name: {"format": code} for name, code in sheet.formats.items() if types.get(name) in (None, "text", "number")
    }
    if odd and sheet.shows == "table":
        keys["dress"] = odd
    keys |= {name: rules for name, rules in (("marks", sheet.marks), ("entries", sheet.entries)) if rules}
    if sheet.living:
        keys["formulas"] = "living"
    if sheet.split is not None:
        keys["split"] = sheet.split
    if sheet.hidden:
        keys["hidden"] = True
    for key, value in keys.items():
        yield f"{key} = {_text(value)}"
    yield from (f"# fill in: {remark(what)}" for what in sheet.left)


def _with_slots(text: str, period: Period | None) -> str:
    for spelled, slot in ((period.long, "period.long"), (period.text, "period")) if period is not None else ():
        text = text.replace(spelled, f"[:{slot}:]")
    return text
