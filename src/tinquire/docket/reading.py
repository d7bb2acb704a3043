"""TOML files as models; what the schema finds is said in four parts, with the line of the key."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from tinquire.base.faults import AccessError, Fault, UseError
from tinquire.base.wording import nearest
from tinquire.docket.lines import KeyPath, key_lines
from tinquire.docket.schema.tables import TableModel, step_keys
from tinquire.tables.steps import step_kinds

__all__ = ["read_model"]

_Model = TypeVar("_Model", bound=BaseModel)
#: Longer found values are cut in messages.
_SHOWN_VALUE = 40


def read_model(
    path: Path, kind: type[_Model], stopped: str, text: str | None = None
) -> tuple[_Model, dict[KeyPath, int]]:
    """A TOML file as a model, and the lines of its keys; with `text`, as if that stood in it. Raises AccessError and
    UseError."""
    try:
        text = path.read_text("utf-8-sig") if text is None else text
    except OSError as error:
        why = "there is no such file" if isinstance(error, FileNotFoundError) else (error.strerror or str(error))
        raise AccessError(Fault(stopped, why, str(path), "check its name and place")) from None
    except UnicodeDecodeError:
        raise UseError(Fault(stopped, "it is not UTF-8 text", str(path), "save it as UTF-8")) from None
    try:
        raw = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise UseError(_syntax_fault(str(error), text, path, stopped)) from None
    lines = key_lines(text)
    try:
        return kind.model_validate(raw), lines
    except ValidationError as error:
        faults = [_schema_fault(item, raw, lines, path, kind, stopped) for item in _of_one_choice(error.errors(), raw)]
        raise UseError(*dict.fromkeys(faults)) from None


def _syntax_fault(detail: str, text: str, path: Path, stopped: str) -> Fault:
    """The reader's message in our words; it ends in '(at line 3, column 7)'."""
    said, _, position = detail.partition(" (at ")
    where = f"{path.name}, {position.rstrip(')')}" if position else path.name
    number = position.partition("line ")[2].partition(",")[0]
    lines = text.splitlines()
    line = lines[int(number) - 1].strip() if number.isdecimal() and 0 < int(number) <= len(lines) else ""
    why = f"it is not TOML: {said[:1].lower()}{said[1:]}" + (f" in: {line[:80]}" if line else "")
    return Fault(stopped, why, where, "fix that line")


def _of_one_choice(errors: Sequence[Any], raw: Any) -> list[Any]:
    """The schema's findings without those of choices that a value does not come near: where a text or a table may
    stand and a table does, what is wrong with the table is to be said, and not that it is no text."""
    positions = [_real_path(error, raw) for error in errors]
    kept = []
    for number, (error, index) in enumerate(zip(errors, positions, strict=True)):
        others = [item for item in range(len(errors)) if item != number and positions[item][: len(index)] == index]
        if error["type"] == "string_type" and isinstance(error["input"], dict) and others:
            continue
        if error["type"] == "model_type" and any(errors[other]["type"] == "string_type" for other in others):
            continue
        kept.append(error)
    return kept


def _schema_fault(
    error: Any, raw: Any, lines: Mapping[KeyPath, int], path: Path, kind: type[BaseModel], stopped: str
) -> Fault:
    """One finding of the schema in four parts."""
    position = _real_path(error, raw)
    key = position[-1] if position else ""
    line = next((lines[position[:n]] for n in range(len(position), 0, -1) if position[:n] in lines), None)
    where = f"{path.name}, line {line}" if line else path.name
    said = _dotted_path(position)
    match error["type"]:
        case "extra_forbidden" | "unexpected_keyword_argument":
            known = _keys_at(kind, position[:-1], raw)
            near = nearest(str(key), known)
            do = f"write '{near[0]}'" if near else "leave it out" + (f"; known are {', '.join(known)}" if known else "")
            if inside := [] if near else _fields_that_know(kind, position[:-1], str(key)):
                do = f"it belongs to an entry of {' or '.join(inside)}: {inside[0]} = [{{ ..., {key} = ... }}]"
            return Fault(stopped, f"there is no key '{key}' in {_dotted_path(position[:-1]) or path.name}", where, do)
        case "missing":
            return Fault(
                stopped, f"{_dotted_path(position[:-1]) or path.name} has no '{key}'", where, f"add {key} = ..."
            )
        case "literal_error":
            why = f"{said} is {_display(error['input'])}"
            return Fault(stopped, why, where, f"write {error['ctx']['expected']}")
        case "value_error":
            return Fault(stopped, f"{said}: {error['ctx']['error']}", where, "fix it")
        case _:
            message = error["msg"][:1].lower() + error["msg"][1:]
            return Fault(stopped, f"{said} is {_display(error['input'])}: {message}", where, "fix the value")


def _real_path(error: Any, raw: Any) -> tuple[str | int, ...]:
    """The part of the schema's path that the file itself has: names of choices within the schema are left out."""
    path: list[str | int] = []
    here, loc = raw, error["loc"]
    for number, part in enumerate(loc):
        if isinstance(here, dict) and part in here:  # noqa: SIM114 - distinguished for the type checker
            here = here[part]
        elif isinstance(here, list) and isinstance(part, int) and part < len(here):
            here = here[part]
        elif number == len(loc) - 1 and error["type"] == "missing" and isinstance(here, dict):
            pass  # a key that is missing: it is not in the file, but it is what the message is about
        else:
            continue
        path.append(part)
    return tuple(path)


def _keys_at(kind: type[BaseModel], path: Sequence[str | int], raw: Any) -> list[str]:
    """The keys that the schema knows at a place, for the nearest one."""
    if len(path) >= 4 and path[0] == "tables" and path[2] == "steps":
        for part in path[:4]:
            raw = raw[part]
        kinds = step_kinds()
        named = [kinds[key] for key in list(raw)[:1] if key in kinds]
        return sorted({key for step in named or kinds.values() for key in step_keys(step)})
    here = _model_at(kind, path)
    if isinstance(here, type) and issubclass(here, BaseModel):
        return [field.alias or name for name, field in here.model_fields.items()]
    return [] if here is not TableModel else ["from", "steps"]


def _fields_that_know(kind: type[BaseModel], path: Sequence[str | int], key: str) -> list[str]:
    """The lists at a place whose entries have a key of that name."""
    here = _model_at(kind, path)
    if not (isinstance(here, type) and issubclass(here, BaseModel)):
        return []
    names = [field.alias or name for name, field in here.model_fields.items()]
    entries = [_model_at(here, [name, 0]) for name in names]
    return [
        name
        for name, entry in zip(names, entries, strict=True)
        if isinstance(entry, type) and issubclass(entry, BaseModel) and key in entry.model_fields
    ]


def _model_at(kind: type[BaseModel], path: Sequence[str | int]) -> Any:
    """What the schema expects at a place: of several choices the one with keys."""
    here: Any = kind
    for part in path:
        if isinstance(here, type) and issubclass(here, BaseModel):
            found = next((f for name, f in here.model_fields.items() if (f.alias or name) == part), None)
            here = found.annotation if found else None
        else:
            arguments = getattr(here, "__args__", ())
            here = arguments[-1] if arguments else None
        if hasattr(here, "__args__") and not isinstance(here, type) and getattr(here, "__origin__", None) is None:
            here = next((arg for arg in here.__args__ if isinstance(arg, type) and issubclass(arg, BaseModel)), here)
    return here


def _dotted_path(path: Sequence[str | int]) -> str:
    """A path as a docket writes it: `tables.charges.steps, 2nd`."""
    text = ""
    for part in path:
        text += f"[{part + 1}]" if isinstance(part, int) else (f".{part}" if text else str(part))
    return text


def _display(value: Any) -> str:
    text = f"'{value}'" if isinstance(value, str) else str(value)
    return text if len(text) <= _SHOWN_VALUE else text[: _SHOWN_VALUE - 1] + "…"
