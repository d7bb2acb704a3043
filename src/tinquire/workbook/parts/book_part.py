"""What the workbook's own part says of all its sheets: the order of its elements, and its date system (ECMA-376 Part 1,
18.2)."""

from __future__ import annotations

from lxml import etree

from tinquire.cells.dates import DateSystem
from tinquire.packages.xml import child

__all__ = ["WORKBOOK_ORDER", "date_system_of", "iteration_of"]

#: Children of the main part in the order that 18.2.27 asks for.
WORKBOOK_ORDER = (
    "fileVersion", "fileSharing", "workbookPr", "workbookProtection", "bookViews", "sheets", "functionGroups",
    "externalReferences", "definedNames", "calcPr", "oleSize", "customWorkbookViews", "pivotCaches", "smartTagPr",
    "smartTagTypes", "webPublishing", "fileRecoveryPr", "webPublishObjects", "extLst",
)  # fmt: skip


def iteration_of(root: etree._Element) -> tuple[int, float] | None:
    """How often rings of formulas are run through, and how little still counts as movement; None when they are an error
    (18.2.2)."""
    found = child(root, "calcPr")
    if found is None or found.get("iterate") not in ("1", "true"):
        return None
    return max(int(found.get("iterateCount", "100")), 1), float(found.get("iterateDelta", "0.001"))


def date_system_of(root: etree._Element) -> DateSystem:
    """The date system in which a workbook counts days (18.17.4.1)."""
    properties = child(root, "workbookPr")
    from_1904 = properties is not None and properties.get("date1904") in ("1", "true")
    return DateSystem.FROM_1904 if from_1904 else DateSystem.FROM_1900
