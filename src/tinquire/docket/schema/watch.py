"""Runs that begin by themselves, in the docket."""

from __future__ import annotations

from datetime import date

from pydantic import Field

from tinquire.docket.schema.base import Model

__all__ = ["WatchModel"]


class WatchModel(Model):
    """What `tinquire watch` waits for."""

    settled: float = Field(
        20.0, ge=0, le=3600, description="Seconds for which files must have stayed as they are before they are read."
    )
    expect: dict[str, int] = Field(
        default_factory=dict,
        description="How many files a source has, by its name; without it, as many as the period before had.",
    )
    holidays: list[date] | str = Field(
        default_factory=list,
        description="Days that are no working days, beside weekends: a list, or a file with a day (2026-12-25) a line.",
    )
