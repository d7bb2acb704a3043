"""Tables in the docket: where their rows come from, and the steps on them."""

from __future__ import annotations

from functools import cache
from typing import Annotated, Any

from pydantic import BeforeValidator, Field, TypeAdapter

from tinquire.base.wording import known_names
from tinquire.docket.schema.base import Model
from tinquire.tables.steps import Step, step_kinds

__all__ = ["TableModel", "step_keys"]


def _step(raw: Any) -> Step:
    """A step from its keys: the one that names a kind of step decides."""
    kinds = step_kinds()
    if not isinstance(raw, dict):
        raise ValueError('a step is written in braces, like { sort = ["Depot"] }')
    first = next(iter(raw), "")
    name = first if first in kinds else next((key for key in raw if _all_options(raw, kinds.get(key))), None)
    if name is None:
        raise ValueError(f"there is no step '{first}': {known_names(first, sorted(kinds))}")
    return _adapter(kinds[name]).validate_python(raw)


@cache
def _adapter(kind: type[Step]) -> TypeAdapter[Step]:
    return TypeAdapter(kind)


def _all_options(raw: dict[str, Any], kind: type[Step] | None) -> bool:
    """Whether all keys are those of one kind of step; steps share names of options, so its own key is not enough."""
    return kind is not None and set(raw) <= step_keys(kind)


def step_keys(kind: type[Step]) -> set[str]:
    """The keys that a kind of step knows, as a docket writes them."""
    return {name.removesuffix("_") for name in kind.__dataclass_fields__}  # type: ignore[attr-defined]


class TableModel(Model):
    """A table made from a source or another table by steps."""

    from_: str = Field(alias="from", description="The source or table it is made from.")
    steps: list[Annotated[Any, BeforeValidator(_step)]] = Field(default_factory=list, description="Changes, in order.")
