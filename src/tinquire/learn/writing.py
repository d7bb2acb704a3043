"""Learned steps as a file that a person reads and corrects: an amendments file."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

import tomlkit

from tinquire.base.wording import counted
from tinquire.learn.steps import Learned

__all__ = ["as_amendments", "inline", "remark"]

_BREAKS = re.compile("[\x00-\x1f\x7f\x85\u2028\u2029]+")


def as_amendments(learned: Learned, title: str) -> str:
    """An amendments file, each step with what it explains, and how else it could be read."""
    document = tomlkit.document()
    document.add(tomlkit.comment(remark(title)))
    document.add(tomlkit.comment("Read it through, and correct what is meant otherwise; amend --with does it."))
    for line in learned.unexplained:
        document.add(tomlkit.comment(remark(f"not explained: {line}")))
    steps = tomlkit.aot()
    for step in learned.steps:
        table = tomlkit.table()
        table.add(tomlkit.comment(f"explains {counted(step.cells, 'cell')}"))
        for keys, says in step.others:
            table.add(tomlkit.comment(remark(f"or: {says} ({', '.join(_line(*item) for item in keys.items())})")))
        table.add("say", step.says)
        for key, value in step.keys.items():
            table.add(key, inline(value))
        steps.append(table)
    document.add("amend", steps)
    return tomlkit.dumps(document)


def remark(text: str) -> str:
    """A text for a comment, which ends with its line: what a cell holds must not go on behind it."""
    return _BREAKS.sub(" ", text)


def _line(key: str, value: Any) -> str:
    return f"{key} = {inline(value).as_string()}"


def inline(value: Any) -> Any:
    """A value as TOML that stays on its line, or has a line for each of several tables."""
    if isinstance(value, list):
        items = tomlkit.array()
        for one in value:
            items.append(inline(one))
        return items.multiline(len(value) > 1 and any(isinstance(one, Mapping) for one in value))
    if not isinstance(value, Mapping):
        return tomlkit.item(value)
    table = tomlkit.inline_table()
    for key, one in value.items():
        table.add(key, inline(one))
    return table
