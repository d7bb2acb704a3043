"""Learned steps as a table of a docket, with the sheet that shows it and the pivots over it."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import tomlkit

from tinquire.learn.steps import Learned
from tinquire.learn.writing import inline, remark

__all__ = ["as_docket"]

_TOTAL = re.compile(r"=(\w+)\(rows\[([^\[\]]+)\]\)\Z")
_KINDS = {"SUM": "sum", "AVERAGE": "average", "COUNTA": "count", "MIN": "smallest", "MAX": "largest"}


@dataclass
class _Draft:
    """What is written: steps of the table, keys of its sheet, pivots, and what is of the house."""

    name: str
    steps: list[tuple[str, dict[str, Any] | None]] = field(default_factory=list)
    dress: dict[str, dict[str, Any]] = field(default_factory=dict)
    sheet: dict[str, Any] = field(default_factory=dict)
    pivots: dict[str, dict[str, Any]] = field(default_factory=dict)
    looks: dict[str, dict[str, Any]] = field(default_factory=dict)
    #: What neither the table nor the sheet can say.
    by_hand: list[str] = field(default_factory=list)


def as_docket(learned: Learned, name: str) -> str:
    """The docket's table made by the steps, the sheet that shows it, and pivots for summaries; looks of marks are to be
    put into the house file, and what a docket has no word for stands as a comment."""
    draft = _Draft(name)
    for step in learned.steps:
        found = _table_step(step.keys, name)
        if found is not None:
            others = "".join(f"\n  # or: {remark(says)}" for _, says in step.others)
            draft.steps.append((remark(step.says) + others, found))
        elif not _of_sheet(draft, step.keys):
            draft.by_hand.append(remark(step.says))
    return "\n".join([*_table(draft), *_pivots(draft), *_book(draft)]) + "\n"


def _table_step(keys: Mapping[str, Any], name: str) -> dict[str, Any] | None:
    for key in ("rename", "drop", "drop_rows", "sort"):
        if key in keys:
            return {key: keys[key]}
    if "unique" in keys:
        return {"unique": keys["unique"], "keep": "first"}
    if "move" in keys:
        return {"move": [keys["move"]], **{key: keys[key] for key in ("before", "after") if key in keys}}
    column = keys.get("add", keys.get("heading"))
    if column is None:
        return None
    if "type" in keys:
        return {"type": {column: keys["type"]}}
    if "formula" in keys or "becomes" in keys:
        text = keys.get("formula", keys.get("becomes", "")).lstrip("=")
        return {"derive": column, "as": re.sub(r"(?<![\w!])rows\[", f"{name}[", text)}
    if "replace" in keys:
        return {"replace": column, "parts": dict(keys["replace"])}
    value, matching = keys.get("value"), keys.get("matching")
    if value is None:
        return None
    if "add" in keys:
        return {"derive": column, "as": _written(value)}
    if "where" in keys:
        return {"derive": column, "as": f"IF({keys['where']}, {_written(value)}, [{column}])"}
    if isinstance(matching, str) and isinstance(value, str):
        return {"replace": column, "values": {re.sub(r"~(?=[*?~])", "", matching): value}}
    return {"derive": column, "as": f"IF([{column}] = {_written(matching)}, {_written(value)}, [{column}])"}


def _written(value: Any) -> str:
    return '"' + value.replace('"', '""') + '"' if isinstance(value, str) else str(value).upper()


# -- the sheet ---------------------------------------------------------------------------------------------


def _of_sheet(draft: _Draft, keys: Mapping[str, Any]) -> bool:
    """Note a step as keys of the sheet; False for one that it has no key for."""
    return any(note(draft, keys) for note in (_dressed, _totalled, _ruled, _set_up, _summed))


def _dressed(draft: _Draft, keys: Mapping[str, Any]) -> bool:
    if "widths" in keys:
        for heading, width in keys["widths"].items():
            draft.dress.setdefault(heading, {})["width"] = width
        return True
    if "hide_columns" in keys:
        for heading in keys["hide_columns"]:
            draft.dress.setdefault(heading, {})["hidden"] = True
        return True
    plain = {"heading", "format", "look"} >= set(keys) - {"sheet"} and "heading" in keys
    if not plain:
        return False
    look = dict(keys.get("look", {}))
    column = draft.dress.setdefault(keys["heading"], {})
    if "format" in keys:
        column["format"] = keys["format"]
    column.update({key: look.pop(key) for key in ("align", "wrap") if key in look})
    if look:
        column["look"] = _look(draft, f"{keys['heading']} cells", look)
    return True


def _look(draft: _Draft, wanted: str, look: dict[str, Any]) -> str:
    name = next((name for name, known in draft.looks.items() if known == look), None)
    if name is None:
        name = re.sub(r"\W+", "_", wanted.lower()).strip("_")
        draft.looks[name] = look
    return name


def _totalled(draft: _Draft, keys: Mapping[str, Any]) -> bool:
    totals: dict[str, str] = draft.sheet.get("totals", {})
    if "total" in keys:
        draft.sheet["totals"] = {**totals, keys["heading"]: keys["total"]}
        return True
    lines = keys.get("below", [])
    if len(lines) != 1:
        return False
    label = None
    for heading, said in lines[0].items():
        if isinstance(said, Mapping) and "value" not in said:
            return False
        content = str(said["value"] if isinstance(said, Mapping) else said)
        match = _TOTAL.match(content)
        if match is not None and match[2] == heading and match[1] in _KINDS:
            totals = {**totals, heading: _KINDS[match[1]]}
        elif label is None and not content.startswith("="):
            label = content
        else:
            return False
    draft.sheet["totals"] = totals
    if label is not None:
        draft.sheet["total_label"] = label
    return True


def _ruled(draft: _Draft, keys: Mapping[str, Any]) -> bool:
    marks, entries = keys.get("marks", []), keys.get("entries", [])
    if not marks and not entries:
        return False
    if any("at" in one for one in [*marks, *entries]):
        return False
    for mark in marks:
        given = dict(mark)
        if "look" in given:
            given["look"] = _look(
                draft, "marked" if "marked" not in draft.looks else f"marked {len(draft.looks)}", given["look"]
            )
        draft.sheet["marks"] = [*draft.sheet.get("marks", []), given]
    if entries:
        draft.sheet["entries"] = [*draft.sheet.get("entries", []), *entries]
    return True


def _set_up(draft: _Draft, keys: Mapping[str, Any]) -> bool:
    if keys.get("freeze") == "headings" or keys.get("filter") is True:
        return True  # a sheet of a docket has both of itself
    if "page" in keys:
        draft.sheet["page"] = dict(keys["page"])
    elif "zoom" in keys or "tab" in keys or "protect" in keys:
        draft.sheet |= {key: keys[key] for key in ("zoom", "tab", "protect") if key in keys}
    else:
        return False
    return True


def _summed(draft: _Draft, keys: Mapping[str, Any]) -> bool:
    asked = keys.get("summary")
    if asked is None or not asked.get("values"):
        return False
    draft.pivots[asked["to"]] = {
        "from": draft.name,
        **{key: asked[key] for key in ("rows", "columns", "values", "totals") if asked.get(key)},
    }
    return True


# -- written -----------------------------------------------------------------------------------------------


def _table(draft: _Draft) -> Iterator[str]:
    yield f"[tables.{draft.name}]"
    yield f'from  = "{draft.name}_source"'
    yield "steps = ["
    for says, keys in draft.steps:
        yield f"  # {says}"
        yield f"  {inline(keys).as_string()},"
    yield "]"


def _pivots(draft: _Draft) -> Iterator[str]:
    for name, keys in draft.pivots.items():
        yield f"\n[pivots.{_plain(name)}]"
        for key, value in keys.items():
            yield f"{key} = {inline(value).as_string()}"


def _book(draft: _Draft) -> Iterator[str]:
    yield "\n[workbooks.pack]"
    yield f'name = "{draft.name.capitalize()} [:period:].xlsx"'
    yield "\n[[workbooks.pack.sheets]]"
    yield f'name = "{draft.name.capitalize()}"'
    yield f'table = "{draft.name}"'
    for key, value in draft.sheet.items():
        yield f"{key} = {inline(value).as_string()}"
    if draft.dress:
        yield f"dress = {inline(draft.dress).as_string()}"
    for name in draft.pivots:
        yield "\n[[workbooks.pack.sheets]]"
        yield f"name = {tomlkit.item(name).as_string()}"
        yield f'pivot = "{_plain(name)}"'
    for name, look in draft.looks.items():
        yield f"\n# for the house file: [looks.{name}] {', '.join(_house_keys(look))}"
    if draft.by_hand:
        yield "\n# by hand, or by tinquire amend, afterwards:"
        yield from (f"# - {line}" for line in draft.by_hand)


def _house_keys(look: Mapping[str, Any]) -> Sequence[str]:
    return [f"{key} = {tomlkit.item(value).as_string()}" for key, value in look.items()]


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_") or "summary"
