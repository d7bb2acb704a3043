"""Formula text cut into tokens (ECMA-376 Part 1, 18.17.2 for the lexical grammar)."""

from __future__ import annotations

import re
from enum import Enum
from typing import NamedTuple

from tinquire.formula.language.mentions import behind_bracket
from tinquire.formula.language.problems import FormulaError

__all__ = ["Token", "TokenKind", "tokenise"]

#: The standard's programs store at most this many characters of a formula; longer text is refused.
MAX_LENGTH = 8192


class TokenKind(Enum):
    NUMBER = "number"
    TEXT = "text"
    ERROR = "error value"
    REFERENCE = "reference"
    TABLE = "table reference"
    NAME = "name"
    CALL = "function"
    OPERATOR = "operator"
    END = "end"


class Token(NamedTuple):
    """One token: its kind, its text, the place where it starts; `sheet` is the prefix of a reference or name."""

    kind: TokenKind
    text: str
    place: int
    sheet: str | None = None


#: A plain sheet's name, after the number of another workbook if it is one of that; or a run of sheets.
_PLAIN = r"(?:\[[0-9]+\])?[^\W\d][\w.]*"
_SHEET = rf"""(?:'(?P<quoted>(?:[^']|'')+)'|(?P<plain>{_PLAIN}(?::[^\W\d][\w.]*)?))!"""
_REFERENCE = r"""
    \$?[A-Za-z]{1,3}\$?[0-9]{1,7}(?::\$?[A-Za-z]{1,3}\$?[0-9]{1,7})?(?![\w(.\[!])
  | \$?[A-Za-z]{1,3}:\$?[A-Za-z]{1,3}(?![\w(.\[!])
  | \$?[0-9]{1,7}:\$?[0-9]{1,7}(?![\w(.])
"""
_PATTERN = re.compile(
    rf"""
    (?P<space>[ \t\r\n]+)
  | (?P<text>"(?:[^"]|"")*")
  | (?:(?:'(?:[^']|'')+'|[^\W\d][\w.]*)!)?(?P<error>\#(?:NULL!|DIV/0!|VALUE!|REF!|NAME\?|NUM!|N/A|SPILL!|CALC!))
  | (?P<reference>(?:{_SHEET})?(?P<area>{_REFERENCE}))
  | (?P<number>(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[Ee][+-]?[0-9]+)?)
  | (?P<call>(?:_xlfn\.|_xlws\.|_xlpm\.)*[^\W\d][\w.]*)\(
  | (?P<name>(?:(?:'(?P<quoted2>(?:[^']|'')+)'|(?P<plain2>{_PLAIN})|(?P<book>\[[0-9]+\]))!)?[^\W\d][\w.\\?]*)
  | (?P<operator><=|>=|<>|[-+*/^&=<>%(),;{{}}:@#])
    """,
    re.VERBOSE,
)


#: Behind a blank that may be the operator for what two references share.
_BEGINS_REFERENCE = re.compile(r"['$\w(\[]|#REF!")

#: A sheet or name of another workbook, which files number (18.17.2.3): it begins like a table reference.
_OTHER_BOOK = re.compile(r"\[[0-9]+\](?:[^\W\d][\w.]*)?!")


def tokenise(text: str) -> list[Token]:
    """The tokens of a formula without its leading `=`, an END token last.

    Raises: FormulaError where no token can start, or when the text is longer than a cell holds.
    """
    if len(text) > MAX_LENGTH:
        raise FormulaError(text[:200], 0, f"the formula has {len(text):,} characters, the most is {MAX_LENGTH:,}")
    tokens: list[Token] = []
    index = 0
    while index < len(text):
        if text[index] == "[" and not _OTHER_BOOK.match(text, index):
            end = behind_bracket(text, index)
            if end is None:
                raise FormulaError(text, index, "the closing bracket ']' is missing")
            tokens.append(_with_brackets(tokens, text, index, end))
            index = end
            continue
        match = _PATTERN.match(text, index)
        if not match:
            raise FormulaError(text, index, _unreadable(text[index]))
        if token := _token(match):
            tokens.append(token)
        elif tokens and _ends_reference(tokens[-1]) and _BEGINS_REFERENCE.match(text, match.end()):
            tokens.append(Token(TokenKind.OPERATOR, " ", match.start()))
        index = match.end() - (match.lastgroup == "call")
    tokens.append(Token(TokenKind.END, "", len(text)))
    return tokens


_PREFIXES = re.compile(r"\A(?:_xlfn\.|_xlws\.|_xlpm\.)+")


def _ends_reference(token: Token) -> bool:
    if token.kind is TokenKind.ERROR:
        return token.text == "#REF!"  # what a reference became whose cells are gone
    return token.kind in (TokenKind.REFERENCE, TokenKind.NAME, TokenKind.TABLE) or (
        token.kind is TokenKind.OPERATOR and token.text in (")", "#")
    )


def _unreadable(character: str) -> str:
    return "the closing quote is missing" if character in "\"'" else f"'{character}' cannot stand here"


def _token(found: re.Match[str]) -> Token | None:
    start, kind = found.start(), found.lastgroup
    match kind:
        case "space":
            return None
        case "operator":
            return Token(TokenKind.OPERATOR, found[0], start)
        case "reference":
            spelled = found["area"]
            sheet = None if len(spelled) == found.end() - start else _sheet(found["quoted"], found["plain"])
            return Token(TokenKind.REFERENCE, spelled, start, sheet)
        case "number":
            return Token(TokenKind.NUMBER, found[0], start)
        case "call":
            name = found["call"]
            bare = _PREFIXES.sub("", name) if name.startswith("_xl") else name
            return Token(TokenKind.CALL, bare.upper(), start)
        case "text":
            return Token(TokenKind.TEXT, found[0][1:-1].replace('""', '"'), start)
        case "error":
            return Token(TokenKind.ERROR, found["error"].upper(), start)
    sheet = _sheet(found["quoted2"], found["plain2"] or found["book"])
    return Token(TokenKind.NAME, found["name"].rpartition("!")[2].removeprefix("_xlpm."), start, sheet)


def _sheet(quoted: str | None, plain: str | None) -> str | None:
    return quoted.replace("''", "'") if quoted else plain


def _with_brackets(tokens: list[Token], text: str, start: int, end: int) -> Token:
    """A table reference; a name right before the bracket is its table."""
    table = None
    if tokens and tokens[-1].kind is TokenKind.NAME and tokens[-1].place + len(tokens[-1].text) == start:
        table = tokens.pop()
    return Token(
        TokenKind.TABLE, text[start + 1 : end - 1], table.place if table else start, table.text if table else None
    )
