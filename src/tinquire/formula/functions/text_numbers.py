"""Texts as numbers, and numbers as texts (18.17.7)."""

from __future__ import annotations

import math
import re
from decimal import ROUND_HALF_UP, Decimal

from tinquire.cells.column import Column
from tinquire.cells.display import MAX_CODE, show
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.adapters import ErrorValue, arrays, grid_rows, plain
from tinquire.formula.engine.conversions import Notation, first_fault, number_from_text, text_of, texts, with_faults
from tinquire.formula.engine.evaluate import evaluate, lift
from tinquire.formula.engine.operands import Grid, Operand
from tinquire.formula.engine.references import single
from tinquire.formula.engine.registry import declare_all, special
from tinquire.formula.engine.scope import Frame
from tinquire.formula.functions.text import fitting_text, values_of
from tinquire.formula.language.tree import Node
from tinquire.formula.language.writing import write_value


def _value(value: Value) -> float:
    if isinstance(value, float):
        return value
    found = number_from_text(value) if isinstance(value, str) else 0.0 if value is None else None
    if found is None:
        raise ErrorValue(value if isinstance(value, CellError) else CellError.VALUE)
    return found


def _numbervalue(text: str, point: str = ".", given: str | None = None) -> float:
    """A number whose decimal point and group mark are stated; blanks anywhere are left out."""
    group = "," if given is None else given
    bare = "".join(text.split())
    if not bare:
        return 0.0
    if not point or point[0] == group[:1]:
        raise ErrorValue(CellError.VALUE)
    whole, mark, rest = bare.partition(point[0])
    if group and group[0] in rest:
        raise ErrorValue(CellError.VALUE)
    bare = (whole.replace(group[0], "") if group else whole) + ("." if mark else "") + rest
    percents = len(bare) - len(bare.rstrip("%"))
    found = number_from_text(bare.rstrip("%"), Notation())
    if found is None or not re.fullmatch(r"[-+.0-9Ee]*", bare.rstrip("%")):
        raise ErrorValue(CellError.VALUE)
    return found / 100**percents


def _fixed(number: float, digits: float = 2.0, plain_: bool = False) -> str:
    decimals = int(digits)
    if abs(decimals) > 127:
        raise ErrorValue(CellError.VALUE)
    unit = 10.0**-decimals
    # Halves go away from zero, as the digits show them.
    rounded = number if decimals >= 0 else math.copysign(math.floor(abs(number) / unit + 0.5) * unit, number)
    form = ("0" if plain_ else "#,##0") + ("." + "0" * min(decimals, 30) if decimals > 0 else "")
    return show(rounded, form).text


def _dollar(number: float, digits: float = 2.0) -> str:
    shown = f"${_fixed(abs(number), digits)}"
    return f"({shown})" if number < 0 else shown


_THAI_DIGITS = ["ศูนย์", "หนึ่ง", "สอง", "สาม", "สี่", "ห้า", "หก", "เจ็ด", "แปด", "เก้า"]
_THAI_PLACES = ["", "สิบ", "ร้อย", "พัน", "หมื่น", "แสน"]


def _thai_words(number: int) -> str:
    """A whole number in Thai words: six places, then millions, of which there may again be millions."""
    millions, rest = divmod(number, 1_000_000)
    words = _thai_words(millions) + "ล้าน" if millions else ""
    digits = str(rest)
    for index, digit in zip(range(len(digits) - 1, -1, -1), digits, strict=True):
        if digit == "0":
            continue
        if index == 0 and digit == "1" and number > 10:
            words += "เอ็ด"
        elif index == 1 and digit in "12":
            words += ("" if digit == "1" else "ยี่") + _THAI_PLACES[1]
        else:
            words += _THAI_DIGITS[int(digit)] + _THAI_PLACES[index]
    return words


def _baht(number: float) -> str:
    if abs(number) >= 1e15:
        raise ErrorValue(CellError.VALUE)
    whole, part = divmod(int(Decimal(repr(abs(number))).scaleb(2).to_integral_value(ROUND_HALF_UP)), 100)
    words = _thai_words(whole) + "บาท" if whole else "" if part else _THAI_DIGITS[0] + "บาท"
    words += _thai_words(part) + "สตางค์" if part else "ถ้วน"
    return ("ลบ" if number < 0 and (whole or part) else "") + words


declare_all(
    plain,
    __name__,
    [
        ("VALUE(text: value)", _value, "The number that a text spells, with a decimal point and ISO 8601 days.", 'VALUE("1,234.5")', "1234.5"),
        ("NUMBERVALUE(text: text, point: text = '.', group?: text)", _numbervalue, "The number that a text spells, its decimal point and group mark stated.", 'NUMBERVALUE("1.204,50", ",", ".")', "1204.5"),
        ("FIXED(number: number, digits: number = 2, plain: logical = FALSE)", _fixed, "A number as text with n digits after the decimal point.", "FIXED(1234.567, 1)", "1,234.6"),
        ("DOLLAR(number: number, digits: number = 2)", _dollar, "A sum of money as text.", "DOLLAR(-1234.567)", "($1,234.57)"),
        ("USDOLLAR(number: number, digits: number = 2)", _dollar, "A sum of money as text.", "USDOLLAR(1234.5)", "$1,234.50"),
        ("BAHTTEXT(number: number)", _baht, "A sum of money in Thai words (18.17.7).", "BAHTTEXT(21.5)", "ยี่สิบเอ็ดบาทห้าสิบสตางค์"),
    ],
)  # fmt: skip


def _array_text(grid: Grid, form: float = 0.0) -> str:
    if int(form) not in (0, 1):
        raise ErrorValue(CellError.VALUE)
    if not form:
        return fitting_text(", ".join(_spelled_or_error(value, False) for value in values_of([grid])))
    rows = (",".join(_spelled_or_error(value, True) for value in row) for row in grid_rows(grid))
    return fitting_text("{" + ";".join(rows) + "}")


def _spelled_or_error(value: Value, strict: bool) -> str:
    if isinstance(value, CellError):
        return value.text
    return write_value(value) if strict else str(text_of(value))


declare_all(
    arrays,
    __name__,
    [
        ("ARRAYTOTEXT(array: cells, form: number = 0)", _array_text, "An array's values as one text; with form 1, as a formula writes them.", 'ARRAYTOTEXT({1,"a";TRUE,2}, 1)', '{1,"a";TRUE,2}'),
        ("VALUETOTEXT(value: value, form: number = 0)", lambda value, form=0.0: _spelled_or_error(value, bool(form)), "A value as text; with form 1, as a formula writes it.", 'VALUETOTEXT("a", 1)', '"a"'),
    ],
)  # fmt: skip


@special("TEXT(value: value, format: text)")
def text(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """A value as it is displayed under a number format (18.17.7).

    >>> TEXT(1234.5, "#,##0.00")
    1,234.50
    """
    operands = [single(evaluate(argument, frame), frame) for argument in arguments]

    def work(values: Column, codes: Column) -> Column:
        count = max(len(values), len(codes))
        values = values.repeat(count)
        read, faults = texts(codes.repeat(count))
        shown = [_shown(value, code, frame) for value, code in zip(values, read, strict=True)]
        return with_faults(Column.from_values(shown), first_fault(faults))

    return lift(operands, work)


def _shown(value: Value, code: str, frame: Frame) -> Value:
    if isinstance(value, CellError):
        return value
    if len(code) > MAX_CODE:
        return CellError.VALUE
    if not code:
        return ""
    if isinstance(value, str) and (number := number_from_text(value)) is not None:
        value = number
    return show(0.0 if value is None else value, code, frame.scope.date_system).text
