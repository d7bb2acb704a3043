"""A cell's stored value (ECMA-376 Part 1, 18.3.1.4; 18.18.11 for the forms): from a value and back."""

from __future__ import annotations

from collections.abc import Callable

from tinquire.cells.values import ERROR_NAMES, CellError, Value
from tinquire.packages.xml import unescape_controls
from tinquire.workbook.sheet_xml.row_writer import number_text

__all__ = ["stored_value", "value_of"]


def stored_value(value: Value, place_of: Callable[[str], int], *, formula: bool = False) -> tuple[str, str | None]:
    """A value's form ('' for numbers) and the text of its `v` element; None for a blank. A text is shared, and stands
    at `place_of(text)`, unless it is the result of a formula."""
    if type(value) is float:
        return "", number_text(value)
    match value:
        case None:
            return "", None
        case bool():
            return "b", str(int(value))
        case CellError():
            return "e", value.text
        case str():
            return ("str", value) if formula else ("s", str(place_of(value)))
    return "", number_text(value)


def value_of(form: str, text: str, shared: Callable[[int], str]) -> Value:
    """The value that a cell of a form stores as `text`; `shared` gives a shared text by its place.

    Raises ValueError for a form that is not known, and for what its form cannot hold.
    """
    match form:
        case "" | "n":
            return float(text) if text else None
        case "s":
            return shared(int(text))
        case "str":
            return unescape_controls(text)
        case "b":
            return text == "1"
        case "e" if text in ERROR_NAMES:
            return ERROR_NAMES[text]
    raise ValueError(f"'{text}' is not a value of the form '{form}'")
