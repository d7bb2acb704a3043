"""The formula language: text -> tokens -> tree -> column programs. Knows no files, sheets or tables.

What a name or a reference means comes in through the small protocol in `tinquire.formula.engine.scope`.
"""

from tinquire.formula.engine.evaluate import evaluate, evaluate_column, evaluate_scalar
from tinquire.formula.engine.scope import Frame, Scope
from tinquire.formula.language.grammar import parse, parse_name
from tinquire.formula.language.problems import FormulaError
from tinquire.formula.language.writing import write

__all__ = [
    "FormulaError",
    "Frame",
    "Scope",
    "evaluate",
    "evaluate_column",
    "evaluate_scalar",
    "parse",
    "parse_name",
    "write",
]
