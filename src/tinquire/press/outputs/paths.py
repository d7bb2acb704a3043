"""Where an output's file goes: a name, and folders before it, as the docket writes them with slots."""

from __future__ import annotations

from pathlib import Path

from tinquire.base.faults import Fault, UseError
from tinquire.base.file_names import safe_file_name
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.slots.slots import Slot, split_slots

__all__ = ["output_path"]


def output_path(folder: Path, pattern: str, scope: SlotScope, stopped: str, where: str) -> Path:
    """The path below a folder. A stroke in the docket's own words leads into another folder; in what a slot brings it
    becomes a dash, so that no text of a source chooses where a file goes. Raises UseError."""
    text = "".join(
        scope.filled(piece.written, stopped, where).replace("/", "-").replace("\\", "-")
        if isinstance(piece, Slot)
        else piece
        for piece in split_slots(pattern)
    )
    parts = text.split("/")
    if any(part.strip() in ("", ".", "..") for part in parts):
        why = f"'{text}' is no name of a file below the folder of the outputs"
        raise UseError(Fault(stopped, why, where, "write it like 'Statements/[:Depot:]/[:Number:].docx'"))
    return folder.joinpath(*map(safe_file_name, parts))
