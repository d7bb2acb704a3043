"""The formula language: text -> tokens -> tree -> column programs. Knows no files, sheets or tables.

What a name or a reference means comes in through the small protocol in `tinquire.formula.scope`.
"""

from tinquire.formula.evaluate import evaluate, evaluate_column, evaluate_scalar
from tinquire.formula.grammar import parse, parse_name
from tinquire.formula.problems import FormulaError
from tinquire.formula.scope import Frame, Scope
from tinquire.formula.writing import write

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
