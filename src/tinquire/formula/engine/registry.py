"""Where formula functions are declared, each once, beside its code.

A declaration is the function's signature as the reference page shows it, and its docstring with an example:

    @elementwise("ROUND(number: number, digits: number)")
    def round_(number: Floats, digits: Floats) -> Floats:
        \"""Round half away from zero.

        >>> ROUND(2.345, 2)
        2.35
        \"""

A parameter is `name: kind`; `name: kind = default` may be left out; `name...: kind` repeats, and the last
`...` group may have several names. Kinds: `number`, `text`, `logical`, `value` (one value of any kind), `cells`
(a range or array, taken whole). Argument counts, conversions and broadcasting all follow from the signature.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from enum import Enum
from functools import lru_cache
from typing import Any, TypeVar

from tinquire.base.wording import nearest
from tinquire.cells.values import Value

__all__ = [
    "Function",
    "Mode",
    "Parameter",
    "aggregate",
    "elementwise",
    "functions",
    "parameters_of",
    "special",
    "unknown_function",
]

_Work = TypeVar("_Work", bound=Callable[..., Any])


class Mode(Enum):
    """How the evaluator calls a function's code.

    ELEMENTWISE: with arrays of converted values, one element per lane; returns an array, list or Column.
    AGGREGATE: with a `Matrix` of cells by lanes; returns a Column with a value per lane.
    SPECIAL: with the call's nodes and the frame; evaluates what it needs itself.
    """

    ELEMENTWISE = "elementwise"
    AGGREGATE = "aggregate"
    SPECIAL = "special"


@dataclass(frozen=True, slots=True)
class Parameter:
    name: str
    kind: str
    optional: bool = False
    repeats: bool = False
    default: Value = None


@dataclass(frozen=True, slots=True)
class Function:
    name: str
    parameters: tuple[Parameter, ...]
    mode: Mode
    work: Callable[..., Any]
    family: str
    says: str
    examples: tuple[tuple[str, str], ...]
    #: The same for one lane of plain numbers, where arrays of one would be slow.
    single: Callable[..., float] | None = None

    @property
    def least(self) -> int:
        """The fewest arguments."""
        return sum(not parameter.optional for parameter in self.parameters)

    @property
    def most(self) -> int | None:
        """The most arguments; None when the last parameters repeat."""
        return None if any(parameter.repeats for parameter in self.parameters) else len(self.parameters)

    def parameter(self, place: int) -> Parameter:
        """The parameter that an argument (from zero) fills."""
        if place < len(self.parameters):
            return self.parameters[place]
        repeating = [parameter for parameter in self.parameters if parameter.repeats]
        return repeating[(place - len(self.parameters)) % len(repeating)]

    def takes(self, count: int) -> bool:
        return count >= self.least and (self.most is None or count <= self.most)

    @property
    def signature(self) -> str:
        """As a formula writes it, optional parameters in square brackets."""
        shown = [f"[{p.name}]" if p.optional else p.name for p in self.parameters if not p.repeats]
        return f"{self.name}({', '.join(shown)}{', …' if self.most is None else ''})"


_REGISTRY: dict[str, Function] = {}
_SIGNATURE = re.compile(r"([A-Z][A-Z0-9._]*)\((.*)\)\Z")
_EXAMPLE = re.compile(r"^\s*>>> (.+)\n\s*(.+)$", re.MULTILINE)
_KINDS = frozenset({"number", "text", "logical", "value", "cells"})


def functions() -> dict[str, Function]:
    """All functions by name. Importing the families is what declares them."""
    _load()
    return _REGISTRY


@lru_cache(maxsize=1)
def _load() -> None:
    from tinquire.formula import functions as families

    families.load()


def declare_all(
    declare: Callable[[str], Callable[[Any], Any]],
    module: str,
    rows: Iterable[tuple[str, Callable[..., Any], str, str, str]],
) -> None:
    """Declare a family's plain members, one line each: signature, code, what it says, an example and its result."""
    for signature, work, says, formula, result in rows:

        def described(*given: Any, work: Callable[..., Any] = work) -> Any:
            return work(*given)

        described.__doc__, described.__module__ = f"{says}\n\n>>> {formula}\n{result}", module
        declare(signature)(described)


def unknown_function(name: str) -> str:
    """A sentence about a function that is not known, with the nearest names."""
    near = nearest(name, functions(), count=3)
    return f"the function {name} is not known" + (f" (nearest: {', '.join(near)})" if near else "")


def elementwise(signature: str, single: Callable[..., float] | None = None) -> Callable[[_Work], _Work]:
    return _declare(signature, Mode.ELEMENTWISE, single)


def aggregate(signature: str) -> Callable[[_Work], _Work]:
    return _declare(signature, Mode.AGGREGATE)


def special(signature: str) -> Callable[[_Work], _Work]:
    return _declare(signature, Mode.SPECIAL)


def parameters_of(signature: str) -> tuple[Parameter, ...]:
    """The parameters that a signature states."""
    match = _SIGNATURE.match(signature)
    if not match:
        raise ValueError(f"not a signature: {signature}")
    return tuple(_parameter(part) for part in match[2].split(",") if part.strip())


def _declare(signature: str, mode: Mode, single: Callable[..., float] | None = None) -> Callable[[_Work], _Work]:
    match = _SIGNATURE.match(signature)
    if not match:
        raise ValueError(f"not a signature: {signature}")
    parameters = parameters_of(signature)

    def declare(work: _Work) -> _Work:
        doc = work.__doc__ or ""
        says = " ".join(doc.partition(">>>")[0].split())
        examples = tuple((formula.strip(), result.strip()) for formula, result in _EXAMPLE.findall(doc))
        family = work.__module__.rpartition(".")[2]
        if match[1] in _REGISTRY:
            raise ValueError(f"{match[1]} is declared twice")
        _REGISTRY[match[1]] = Function(match[1], parameters, mode, work, family, says, examples, single)
        return work

    return declare


def _parameter(text: str) -> Parameter:
    declaration, has_default, default = (part.strip() for part in text.partition("="))
    name, _, kind = (part.strip() for part in declaration.partition(":"))
    repeats = name.endswith("...")
    bare = name.removesuffix("...").removesuffix("?")
    if kind not in _KINDS:
        raise ValueError(f"'{kind}' is not a kind of parameter")
    value: Value = None
    if default in ("TRUE", "FALSE"):
        value = default == "TRUE"
    elif default:
        value = default.strip("'") if default.startswith("'") else float(default)
    optional = bool(has_default) or name.endswith("?") or repeats
    return Parameter(bare, kind, optional, repeats, value)
