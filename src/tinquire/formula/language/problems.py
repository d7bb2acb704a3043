"""What can be wrong with a formula's text."""

from __future__ import annotations

from tinquire.base.faults import DataError, Fault, UseError

__all__ = ["CycleError", "FormulaError"]

#: Longer formulas are shown around the fault only.
_SHOWN = 70


class FormulaError(UseError):
    """A formula that cannot be read: its text, the position of the fault (from zero), and what was expected."""

    def __init__(self, text: str, place: int, expected: str) -> None:
        self.text = text
        self.place = place
        self.expected = expected
        super().__init__(Fault("reading a formula", expected, pointed(text, place), "fix the formula"))

    def at(self, stopped: str, where: str) -> UseError:
        """The same fault with what was being done and where it stands."""
        return UseError(Fault(stopped, f"{self.expected}: {pointed(self.text, self.place)}", where, "fix the formula"))


class CycleError(DataError):
    """Cells that depend on themselves; `path` names them in order, the first again at the end."""

    def __init__(self, path: tuple[str, ...]) -> None:
        self.path = path
        why = f"circular reference: {self}"
        super().__init__(Fault("working formulas out", why, path[0], "remove the circle"))

    def __str__(self) -> str:
        return " -> ".join(self.path)


def pointed(text: str, place: int) -> str:
    """The formula with a pointer before the fault, cut to what fits a line."""
    start = max(0, place - _SHOWN // 2)
    end = min(len(text), start + _SHOWN)
    before = ("…" if start else "") + text[start:place]
    after = text[place:end] + ("…" if end < len(text) else "")
    return f"{before} ▸ {after}".strip()
