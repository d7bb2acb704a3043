"""Amendments: guarded changes to workbooks that are there already, applied to one file or a thousand."""

from tinquire.amend.change import Change, NotAsExpectedError, apply_amendments
from tinquire.amend.files import FileReport, Outcome, amend_file, amend_files
from tinquire.amend.schema import Amendment, AmendmentList, load_amendments

__all__ = [
    "Amendment", "AmendmentList", "Change", "FileReport", "NotAsExpectedError", "Outcome", "amend_file", "amend_files",
    "apply_amendments", "load_amendments",
]  # fmt: skip
