"""Learned steps as a file that a person reads and corrects: amendments, or the steps of a docket's table."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

import tomlkit

from tinquire.base.wording import counted
from tinquire.learn.steps import Learned, Step

__all__ = ["as_amendments", "as_docket"]


def as_amendments(learned: Learned, title: str) -> str:
    """An amendments file, each step with what it explains, and how else it could be read."""
    document = tomlkit.document()
    document.add(tomlkit.comment(title))
    document.add(tomlkit.comment("Read it through, and correct what is meant otherwise; amend --with does it."))
    for line in learned.unexplained:
        document.add(tomlkit.comment(f"not explained: {line}"))
    steps = tomlkit.aot()
    for step in learned.steps:
        table = tomlkit.table()
        table.add(tomlkit.comment(f"explains {counted(step.cells, 'cell')}"))
        for keys, says in step.others:
            table.add(tomlkit.comment(f"or: {says} ({', '.join(_line(key, value) for key, value in keys.items())})"))
        table.add("say", step.says)
        for key, value in step.keys.items():
            table.add(key, _inline(value))
        steps.append(table)
    document.add("amend", steps)
    return tomlkit.dumps(document)


def as_docket(learned: Learned, name: str) -> str:
    """A docket's table with the steps that a table can have; what is of a sheet alone stands as a comment."""
    lines = [f"[tables.{name}]", f'from  = "{name}_source"', "steps = ["]
    for step in learned.steps:
        found = _table_step(step)
        if found is None:
            lines.append(f"  # on the sheet: {step.says}")
            continue
        lines += [f"  # {step.says}", f"  {_inline(found).as_string()},"]
        lines += [f"  # or: {says}" for _, says in step.others]
    return "\n".join([*lines, "]"]) + "\n"


def _table_step(step: Step) -> dict[str, Any] | None:
    keys = step.keys
    for key in ("rename", "drop", "drop_rows", "sort"):
        if key in keys:
            return {key: keys[key]}
    if "unique" in keys:
        return {"unique": keys["unique"], "keep": "first"}
    if "add" in keys and "formula" in keys:
        return {"derive": keys["add"], "as": keys["formula"].lstrip("=")}
    if "add" in keys and "value" in keys:
        value = keys["value"]
        text = '"' + value.replace('"', '""') + '"' if isinstance(value, str) else str(value).upper()
        return {"derive": keys["add"], "as": text}
    if "heading" in keys and "formula" in keys:
        return {"derive": keys["heading"], "as": keys["formula"].lstrip("=")}
    value, matching = keys.get("value"), keys.get("matching")
    if "heading" in keys and isinstance(matching, str) and isinstance(value, str):
        return {"replace": keys["heading"], "values": {re.sub(r"~(?=[*?~])", "", matching): value}}
    return None


def _line(key: str, value: Any) -> str:
    return f"{key} = {_inline(value).as_string() if isinstance(value, Mapping) else tomlkit.item(value).as_string()}"


def _inline(value: Any) -> Any:
    if not isinstance(value, Mapping):
        return tomlkit.item(value)
    table = tomlkit.inline_table()
    for key, one in value.items():
        table.add(key, _inline(one))
    return table
