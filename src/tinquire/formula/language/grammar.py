"""Tokens into a tree: the operator grammar of ECMA-376 Part 1, 18.17.2.

From loosest to tightest: comparison, `&`, `+ -`, `* /`, `^`, prefix `- +`, postfix `%`. The prefix minus binds
tighter than `^`, so `-2^2` is 4. Operators of one rank group from the left.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator
from functools import lru_cache

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, column_number
from tinquire.cells.values import ERROR_NAMES, CellError
from tinquire.formula.language.problems import FormulaError
from tinquire.formula.language.tokens import Token, TokenKind, tokenise
from tinquire.formula.language.tree import (
    Apply,
    ArrayConstant,
    Binary,
    Call,
    Coordinate,
    Literal,
    Missing,
    Name,
    Node,
    Reference,
    RowsOf,
    TableReference,
    Unary,
    Union,
)

__all__ = ["BINARY_RANKS", "RANK_OF", "parse"]

#: Binary operators by rank, loosest first.
BINARY_RANKS: tuple[frozenset[str], ...] = (
    frozenset({"=", "<>", "<", "<=", ">", ">="}),
    frozenset({"&"}),
    frozenset({"+", "-"}),
    frozenset({"*", "/"}),
    frozenset({"^"}),
)

RANK_OF = {sign: rank for rank, signs in enumerate(BINARY_RANKS) for sign in signs}

#: Signs that bind an operand to what follows it.
_BINDING = frozenset({" ", ":", "(", "#"})
#: Longer rows of operators are refused: their tree would be deeper than a tree may be walked.
MAX_CHAIN = 400
#: Deeper nesting than this is refused; the standard's programs allow 64 levels of calls.
MAX_DEPTH = 96

_CORNER = re.compile(r"(\$?)([A-Za-z]{1,3})(\$?)([0-9]{1,7})\Z")
_COLUMN = re.compile(r"(\$?)([A-Za-z]{1,3})\Z")
_ROW = re.compile(r"(\$?)([0-9]{1,7})\Z")
#: Functions as which files store two signs (the newer operators had to be readable to older programs).
_SPELLED_SIGNS = {"SINGLE": "@", "ANCHORARRAY": "#"}
_ROW_WORDS = {rows.value.casefold(): rows for rows in RowsOf}


@lru_cache(maxsize=32_768)
def parse(text: str, row: int = 1, column: int = 1) -> Node:
    """The tree of a formula, as seen from the cell that holds it (row and column from one).

    A leading `=` is allowed. Raises: FormulaError with the place and what was expected.
    """
    bare = text[1:] if text.startswith("=") else text
    return _Reader(bare, tokenise(bare), row, column).whole()


def parse_name(text: str) -> Node:
    """The tree of a defined name, which may stand for several areas: `Data!$A:$A,Data!$1:$2`. Raises FormulaError."""
    try:
        return parse(text)
    except FormulaError as error:
        try:
            return parse(f"({text.removeprefix('=')})")
        except FormulaError:
            raise error from None


class _Reader:
    """One pass over the tokens of one formula."""

    def __init__(self, text: str, tokens: list[Token], row: int, column: int) -> None:
        self.text = text
        self.tokens = tokens
        #: The operators among the tokens, by their places.
        self.signs = [token.text if token.kind is TokenKind.OPERATOR else None for token in tokens]
        self.row = row
        self.column = column
        self.place = 0
        self.depth = 0

    # -- moving along ----------------------------------------------------------------------------------

    @property
    def token(self) -> Token:
        return self.tokens[self.place]

    def next(self) -> Token:
        token = self.tokens[self.place]
        self.place += 1
        return token

    def at(self, *signs: str) -> bool:
        return self.signs[self.place] in signs

    def expect(self, sign: str, why: str) -> None:
        if not self.at(sign):
            raise self.wrong(why)
        self.next()

    def wrong(self, expected: str) -> FormulaError:
        return FormulaError(self.text, self.token.place, expected)

    # -- the grammar -----------------------------------------------------------------------------------

    def whole(self) -> Node:
        node = self.binary(0)
        if self.token.kind is not TokenKind.END:
            raise self.wrong(f"an operator is missing before '{self.token.text}'")
        return node

    def binary(self, loosest: int) -> Node:
        """Operands joined by operators no looser than a rank (precedence climbing: one call, not one for each rank)."""
        left = self.prefix()
        chain = 0
        while (rank := RANK_OF.get(self.signs[self.place] or "", -1)) >= loosest:
            chain += 1
            if chain > MAX_CHAIN:
                raise self.wrong(f"more than {MAX_CHAIN} operators stand in a row")
            sign = self.next().text
            left = Binary(sign, left, self.binary(rank + 1))
        return left

    def prefix(self) -> Node:
        sign = self.signs[self.place]
        if sign is not None and sign in "-+":
            self.place += 1
            return self.nested(lambda: Unary(sign, self.prefix()))
        if sign == "@":
            self.place += 1
            return self.nested(lambda: Unary("@", self.shared()))
        node = self.primary() if sign is None else self.shared()
        after = self.signs[self.place]
        if sign is None and after is not None and after in _BINDING:
            node = self.shared(node)
        for _ in self.chain("%"):
            self.next()
            node = Unary("%", node)
        return node

    def chain(self, *signs: str) -> Iterator[None]:
        """Once for each of some signs that stand in a row. Raises FormulaError when they are too many: each makes the
        tree deeper."""
        count = 0
        while self.at(*signs):
            count += 1
            if count > MAX_DEPTH:
                raise self.wrong(f"more than {MAX_DEPTH} of '{signs[0]}' stand in a row")
            yield

    def shared(self, first: Node | None = None) -> Node:
        """References with blanks between them: what they share. `first` is the first operand, if it was read."""
        node = self.spanned(first)
        for _ in self.chain(" "):
            self.next()
            node = Binary(" ", node, self.spanned())
        return node

    def spanned(self, first: Node | None = None) -> Node:
        """References with colons between them, of which one at least is calculated: the area around them."""
        node = self.apply(first)
        for _ in self.chain(":"):
            self.next()
            node = Binary(":", node, self.apply())
        return node

    def apply(self, first: Node | None = None) -> Node:
        """An operand, with what is called or filled by it."""
        node = self.primary() if first is None else first
        for _ in self.chain("(", "#"):
            lost = isinstance(node, Literal) and isinstance(node.value, CellError) and self.at("#")
            if isinstance(node, Literal | ArrayConstant) and not lost:  # `#REF!#`: the cell it began in is gone
                break
            node = Unary("#", node) if self.next().text == "#" else Apply(node, self.arguments())
        return node

    def nested(self, read: Callable[[], Node]) -> Node:
        self.depth += 1
        if self.depth > MAX_DEPTH:
            raise self.wrong(f"the formula is nested more than {MAX_DEPTH} deep")
        node = read()
        self.depth -= 1
        return node

    def primary(self) -> Node:
        token = self.next()
        match token.kind:
            case TokenKind.NUMBER:
                number = float(token.text)
                if number == math.inf:
                    raise self.wrong("the number is larger than 1.8E308")
                return Literal(number)
            case TokenKind.TEXT:
                return Literal(token.text)
            case TokenKind.ERROR:
                return Literal(ERROR_NAMES[token.text])
            case TokenKind.REFERENCE:
                return self.reference(token)
            case TokenKind.TABLE:
                return _table_reference(token, self.text)
            case TokenKind.CALL:
                return self.nested(lambda: self.call(token))
            case TokenKind.NAME:
                if token.sheet is None and token.text.upper() in ("TRUE", "FALSE"):
                    return Literal(token.text.upper() == "TRUE")
                return Name(token.text, token.sheet)
            case TokenKind.OPERATOR if token.text == "(":
                node = self.nested(lambda: self.binary(0))
                if self.at(","):
                    node = self.union(node)
                self.expect(")", "the closing bracket ')' is missing")
                return node
            case TokenKind.OPERATOR if token.text == "{":
                return self.array()
        self.place -= 1
        raise self.wrong("a value is missing" + (f" before '{token.text}'" if token.text else " at the end"))

    def union(self, first: Node) -> Node:
        parts = [first]
        while self.at(","):
            self.next()
            parts.append(self.binary(0))
        return Union(tuple(parts))

    def call(self, token: Token) -> Node:
        self.expect("(", "'(' is missing")
        arguments = self.arguments(f"the bracket that closes {token.text}( is missing")
        if token.text in _SPELLED_SIGNS and len(arguments) == 1:
            return Unary(_SPELLED_SIGNS[token.text], arguments[0])
        return Call(token.text, arguments)

    def arguments(self, unclosed: str = "the closing bracket ')' is missing") -> tuple[Node, ...]:
        """What stands after an opening bracket, and that which closes it."""
        arguments: list[Node] = []
        if not self.at(")"):
            arguments.append(self.argument())
            while self.at(",", ";"):
                self.next()
                arguments.append(self.argument())
        self.expect(")", unclosed)
        return tuple(arguments)

    def argument(self) -> Node:
        return Missing() if self.at(",", ";", ")") else self.binary(0)

    def array(self) -> Node:
        rows: list[tuple[Literal, ...]] = [self.array_row()]
        while self.at(";"):
            self.next()
            rows.append(self.array_row())
        self.expect("}", "the closing bracket '}' is missing")
        if len({len(row) for row in rows}) > 1:
            raise self.wrong("the rows of an array must be of one length")
        return ArrayConstant(tuple(rows))

    def array_row(self) -> tuple[Literal, ...]:
        values = [self.constant()]
        while self.at(","):
            self.next()
            values.append(self.constant())
        return tuple(values)

    def constant(self) -> Literal:
        minus = self.at("-")
        if minus or self.at("+"):
            self.next()
        node = self.primary()
        if not isinstance(node, Literal) or (minus and not isinstance(node.value, float)):
            raise self.wrong("an array holds constants only")
        return Literal(-node.value) if minus and isinstance(node.value, float) else node

    # -- references ------------------------------------------------------------------------------------

    def reference(self, token: Token) -> Node:
        first, colon, last = token.text.partition(":")
        one = None if colon else _cell(first)
        if one is not None:
            fixed_column, column, fixed_row, row = one
            across = Coordinate(column if fixed_column else column - self.column, fixed_column)
            down = Coordinate(row if fixed_row else row - self.row, fixed_row)
            return Reference(token.sheet, down, across, down, across)
        corners = self.corners(first, last or first)
        if corners is None:
            if token.sheet is None and not last and "$" not in first:
                return Name(first)
            raise FormulaError(self.text, token.place, f"'{token.text}' is beyond the grid")
        return Reference(token.sheet, *corners)

    def corners(self, first: str, last: str) -> tuple[Coordinate, Coordinate, Coordinate, Coordinate] | None:
        """Top, left, bottom, right; None when beyond the grid."""
        if (a := _CORNER.match(first)) and (b := _CORNER.match(last)):
            rows = self.pair((a[3], int(a[4])), (b[3], int(b[4])), self.row, MAX_ROW)
            columns = self.pair(
                (a[1], column_number_or_zero(a[2])), (b[1], column_number_or_zero(b[2])), self.column, MAX_COLUMN
            )
        elif (a := _COLUMN.match(first)) and (b := _COLUMN.match(last)):
            rows = (Coordinate(1, True), Coordinate(MAX_ROW, True))
            columns = self.pair(
                (a[1], column_number_or_zero(a[2])), (b[1], column_number_or_zero(b[2])), self.column, MAX_COLUMN
            )
        elif (a := _ROW.match(first)) and (b := _ROW.match(last)):
            rows = self.pair((a[1], int(a[2])), (b[1], int(b[2])), self.row, MAX_ROW)
            columns = (Coordinate(1, True), Coordinate(MAX_COLUMN, True))
        else:
            return None
        if rows is None or columns is None:
            return None
        return rows[0], columns[0], rows[1], columns[1]

    @staticmethod
    def pair(
        first: tuple[str, int], last: tuple[str, int], origin: int, most: int
    ) -> tuple[Coordinate, Coordinate] | None:
        """Two coordinates of one axis in ascending order, relative ones as distances from `origin`."""
        low, high = sorted((first, last), key=lambda corner: corner[1])
        if low[1] < 1 or high[1] > most:
            return None
        made = [Coordinate(n, True) if dollar else Coordinate(n - origin, False) for dollar, n in (low, high)]
        return made[0], made[1]


@lru_cache(maxsize=65_536)
def _cell(spelled: str) -> tuple[bool, int, bool, int] | None:
    """Whether its column is fixed, the column, whether its row is fixed, the row; None for no cell of the grid."""
    match = _CORNER.match(spelled)
    if match is None:
        return None
    column, row = column_number_or_zero(match[2]), int(match[4])
    if not (1 <= column <= MAX_COLUMN and 1 <= row <= MAX_ROW):
        return None
    return bool(match[1]), column, bool(match[3]), row


def column_number_or_zero(letters: str) -> int:
    try:
        return column_number(letters)
    except ValueError:
        return 0


def _table_reference(token: Token, text: str) -> TableReference:
    """`[Col]`, `[@Col]`, `[[#Headers],[A]:[B]]` and the other forms of 18.17, apostrophe escapes resolved."""
    inner = token.text.strip()
    this_row = inner.startswith("@")
    inner = inner[1:] if this_row else inner
    rows: list[RowsOf] = [RowsOf.THIS] if this_row else []
    if not inner.startswith("["):
        column = _unescape(inner)
        if column.casefold() in _ROW_WORDS:
            return TableReference(token.sheet, None, None, (_ROW_WORDS[column.casefold()],))
        bare = token.sheet is None and not this_row
        return TableReference(token.sheet, column or None, column or None, tuple(rows) or (RowsOf.DATA,), bare)
    columns: list[str] = []
    for part in re.findall(r"\[((?:[^\[\]']|'.)*)\]", inner):
        name = _unescape(part)
        if name.casefold() in _ROW_WORDS and part.startswith("#"):
            rows.append(_ROW_WORDS[name.casefold()])
        else:
            columns.append(name)
    if len(columns) > 2:
        raise FormulaError(text, token.place, "a table reference names one column, or a first and a last")
    first = columns[0] if columns else None
    return TableReference(token.sheet, first, columns[-1] if columns else None, tuple(rows) or (RowsOf.DATA,))


def _unescape(name: str) -> str:
    """A heading without its escapes; elsewhere an apostrophe is the heading's own, as in Driver's hours."""
    return re.sub(r"'([\[\]#'@])", r"\1", name)
