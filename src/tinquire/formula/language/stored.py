"""Formula text as files hold it: functions that are newer than the standard carry a prefix, so that older programs keep
them as names which they do not know; so do the parameters of function values."""

from __future__ import annotations

import re
from functools import lru_cache

from tinquire.formula.language.problems import FormulaError
from tinquire.formula.language.tokens import TokenKind, tokenise

__all__ = ["bare_text", "stored_text"]

_PREFIXES = re.compile(r"_xlfn\.|_xlws\.|_xlpm\.")
_SHEET_FUNCTIONS = frozenset({"FILTER", "SORT"})
_NEWER = frozenset(
    """
    ACOT ACOTH AGGREGATE ARABIC ARRAYTOTEXT BASE BETA.DIST BETA.INV BINOM.DIST BINOM.DIST.RANGE BINOM.INV BITAND
    BITLSHIFT BITOR BITRSHIFT BITXOR BYCOL BYROW CEILING.MATH CEILING.PRECISE CHISQ.DIST CHISQ.DIST.RT CHISQ.INV
    CHISQ.INV.RT CHISQ.TEST CHOOSECOLS CHOOSEROWS COMBINA CONCAT CONFIDENCE.NORM CONFIDENCE.T COT COTH
    COVARIANCE.P COVARIANCE.S CSC CSCH DAYS DECIMAL DROP ENCODEURL ERF.PRECISE ERFC.PRECISE EXPAND EXPON.DIST
    F.DIST F.DIST.RT F.INV F.INV.RT F.TEST FILTER FLOOR.MATH FLOOR.PRECISE FORECAST.LINEAR FORMULATEXT GAMMA GAMMA.DIST
    GAMMA.INV GAMMALN.PRECISE GAUSS HSTACK HYPGEOM.DIST IFNA IFS IMCOSH IMCOT IMCSC IMCSCH IMSEC IMSECH IMSINH
    IMTAN ISFORMULA ISOMITTED ISOWEEKNUM LAMBDA LET LOGNORM.DIST LOGNORM.INV MAKEARRAY MAP MAXIFS MINIFS MODE.MULT
    MODE.SNGL MUNIT NEGBINOM.DIST NORM.DIST NORM.INV NORM.S.DIST NORM.S.INV NUMBERVALUE PDURATION PERCENTILE.EXC
    PERCENTILE.INC PERCENTRANK.EXC PERCENTRANK.INC PERMUTATIONA PHI POISSON.DIST QUARTILE.EXC QUARTILE.INC
    RANDARRAY RANK.AVG RANK.EQ REDUCE RRI SCAN SEC SECH SEQUENCE SHEET SHEETS SKEW.P SORT SORTBY STDEV.P STDEV.S
    SWITCH T.DIST T.DIST.2T T.DIST.RT T.INV T.INV.2T T.TEST TAKE TEXTAFTER TEXTBEFORE TEXTJOIN TEXTSPLIT TOCOL
    TOROW UNICHAR UNICODE UNIQUE VALUETOTEXT VAR.P VAR.S VSTACK WEIBULL.DIST WRAPCOLS WRAPROWS XLOOKUP XMATCH
    XOR Z.TEST
    """.split()  # noqa: SIM905 - a table that is read, not a list that is changed
)


def bare_text(text: str) -> str:
    """A formula as a person writes it."""
    return _PREFIXES.sub("", text)


@lru_cache(maxsize=4096)
def stored_text(text: str) -> str:
    """A formula as a file holds it; one that cannot be read is left as it is."""
    try:
        tokens = tokenise(text)
    except FormulaError:
        return text
    calls = [token for token in tokens if token.kind is TokenKind.CALL and token.text in _NEWER]
    if not calls:
        return text
    positions = {token.place: _prefix(token.text) for token in calls if not text.startswith("_xl", token.place)}
    own = _own_names(text) if any(token.text in ("LET", "LAMBDA") for token in calls) else frozenset[str]()
    for token in tokens:
        named = token.kind in (TokenKind.NAME, TokenKind.CALL) and token.text.casefold() in own
        if named and not text.startswith("_xl", token.place):
            positions[token.place] = "_xlpm."
    pieces, end = [], 0
    for index in sorted(positions):
        pieces += [text[end:index], positions[index]]
        end = index
    return "".join([*pieces, text[end:]])


def _prefix(name: str) -> str:
    return "_xlfn._xlws." if name in _SHEET_FUNCTIONS else "_xlfn."


def _own_names(text: str) -> frozenset[str]:
    """The names that a formula's LETs and LAMBDAs give, casefolded."""
    from tinquire.formula.language.grammar import parse
    from tinquire.formula.language.tree import Call, Name, Node, walk

    try:
        tree = parse(text)
    except FormulaError:
        return frozenset()
    given: list[Node] = []
    for node in walk(tree):
        if isinstance(node, Call) and node.function in ("LET", "LAMBDA"):
            given += node.arguments[:-1:2] if node.function == "LET" else node.arguments[:-1]
    return frozenset(node.name.casefold() for node in given if isinstance(node, Name) and node.sheet is None)
