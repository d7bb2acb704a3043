"""Records in JSON: one object a line (JSON Lines), or a list of objects (RFC 8259)."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from tinquire.base.faults import AccessError, DataError, Fault
from tinquire.cells.column import Column
from tinquire.cells.values import Value
from tinquire.sources.raw_table import RawTable, require_room

__all__ = ["are_records", "read_records", "records_table"]

_ENDINGS = (".jsonl", ".ndjson", ".json")


def are_records(path: Path, start: bytes) -> bool:
    """Whether a file holds records, by its ending and how it begins."""
    begin = start.removeprefix(b"\xef\xbb\xbf").lstrip()[:1]
    return path.suffix.lower() in _ENDINGS and begin in (b"{", b"[", b"")


def read_records(path: Path, shown: str) -> RawTable:
    """A file's records as rows under the names of their members; what lies deeper is called `customer.name`.

    Raises: AccessError when it cannot be read, DataError for what is no record.
    """
    try:
        text = path.read_bytes().decode("utf-8-sig")
    except OSError as error:
        raise AccessError(Fault("opening records", error.strerror or str(error), shown, "check its name")) from None
    except UnicodeDecodeError as error:
        why = f"it is not UTF-8 ({error.reason} at byte {error.start:,})"
        raise DataError(Fault("opening records", why, shown, "export it in UTF-8")) from None
    lines, records = [], []
    for line, record in _records(text, shown):
        if not isinstance(record, dict):
            why = f"{json.dumps(record)[:40]} is no record, which is written in braces"
            raise DataError(Fault("reading records", why, f"{shown}, line {line}", "fix the line"))
        lines.append(line)
        records.append(dict(_flat(record, "")))
    return records_table(shown, records, lines)


def records_table(shown: str, records: Sequence[dict[str, Value]], lines: Sequence[int]) -> RawTable:
    """Records as columns under all names that occur, in the order in which they occur first."""
    names = list(dict.fromkeys(name for record in records for name in record))
    require_room(len(records), len(names), sum(map(len, records)), "reading records", shown)
    columns = [Column.from_values(record.get(name) for record in records) for name in names]
    return RawTable(
        shown, "", names, columns, np.array(lines, np.int32), list(range(1, len(names) + 1)), by_line=True,
        moments=[""] * len(names),
    )  # fmt: skip


#: The first or second half of a pair, as an escape.
_HALF_PAIR = re.compile(r"\\u[dD][89a-fA-F]")


def _records(text: str, shown: str) -> Iterator[tuple[int, Any]]:
    """Each record with its line; of a list, with its number in it."""
    if text.lstrip().startswith("["):
        yield from enumerate(_parse(text, shown, 1), start=1)
        return
    for line, part in enumerate(text.splitlines(), start=1):
        if part.strip():
            yield line, _parse(part, shown, line)


def _parse(text: str, shown: str, line: int) -> Any:
    def constant(word: str) -> None:
        raise ValueError(f"{word} is no number of JSON")

    def members(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
        found = dict(pairs)
        if len(found) < len(pairs):
            raise ValueError("a name stands twice in one record")
        return found

    def number(text: str) -> float:
        if not math.isfinite(found := float(text)):
            raise ValueError(f"{text[:20]} is larger than any number")
        return found

    def whole(text: str) -> int:
        number(text)
        return int(text)

    try:
        found = json.loads(
            text, parse_constant=constant, parse_float=number, parse_int=whole, object_pairs_hook=members
        )
        if _HALF_PAIR.search(text):
            json.dumps(found, ensure_ascii=False).encode()
        return found
    except UnicodeEncodeError:
        why = "a text has half of a pair of characters (RFC 8259, 8.2), which is no text"
        raise DataError(Fault("reading records", why, f"{shown}, line {line}", "fix the text")) from None
    except (ValueError, RecursionError) as error:
        at = line + error.lineno - 1 if isinstance(error, json.JSONDecodeError) else line
        why = f"it is not JSON ({error.msg if isinstance(error, json.JSONDecodeError) else error})"
        raise DataError(Fault("reading records", why, f"{shown}, line {at}", "fix the line")) from None


def _flat(record: dict[str, Any], prefix: str) -> Iterator[tuple[str, Value]]:
    """A record's members; those of a record within it by both names, a list as it is written."""
    for name, value in record.items():
        if isinstance(value, dict) and value:
            yield from _flat(value, f"{prefix}{name}.")
        elif isinstance(value, list | dict):
            yield prefix + name, json.dumps(value, ensure_ascii=False) if value else None
        elif isinstance(value, int | float) and not isinstance(value, bool):
            yield prefix + name, float(value)
        else:
            yield prefix + name, value if value != "" else None
