"""A docket from its file: read, checked against the schema, and reviewed as a whole; all faults at once."""

from __future__ import annotations

from pathlib import Path

from tinquire.base.faults import UseError
from tinquire.docket.job import Docket
from tinquire.docket.reading import read_model
from tinquire.docket.review import review_docket
from tinquire.docket.schema.docket import DocketModel

__all__ = ["load_docket"]


def load_docket(path: Path, text: str | None = None) -> Docket:
    """Read a docket; with `text`, as if that stood in its file. Raises AccessError when it cannot be read, UseError
    with all that is wrong in it."""
    model, lines = read_model(path, DocketModel, "reading the docket", text)
    docket = Docket(model, path.absolute(), lines)
    faults = review_docket(docket)
    if faults:
        raise UseError(*faults)
    return docket
