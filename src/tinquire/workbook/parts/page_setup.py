"""How a sheet is printed (18.3.1.62 to .64): paper, margins, fitting, headers and footers, page breaks."""

from __future__ import annotations

from dataclasses import dataclass

from lxml import etree

from tinquire.packages.xml import child, children
from tinquire.workbook.parts.drawings import element_text
from tinquire.workbook.parts.frame_change import FrameChange

__all__ = ["PageSetup", "follow_breaks", "read_page_setup"]


@dataclass(frozen=True, slots=True)
class PageSetup:
    """How a sheet is printed (18.3.1.62 to .64): margins in inches; `fit` is pages across and down, 0 for any."""

    orientation: str = "default"
    paper: int = 0
    scale: int = 100
    fit: tuple[int, int] | None = None
    margins: tuple[float, ...] = ()
    header: str = ""
    footer: str = ""
    row_breaks: tuple[int, ...] = ()
    column_breaks: tuple[int, ...] = ()


def read_page_setup(frame: etree._Element) -> PageSetup:
    setup, margins = child(frame, "pageSetup"), child(frame, "pageMargins")
    properties = child(child(frame, "sheetPr"), "pageSetUpPr")
    heads = child(frame, "headerFooter")
    fits = properties is not None and properties.get("fitToPage") in ("1", "true")

    def number(name: str, default: int) -> int:
        text = "" if setup is None else setup.get(name, "")
        return int(text) if text.isdigit() else default

    def breaks(name: str) -> tuple[int, ...]:
        return tuple(int(item.get("id", "0")) for item in children(child(frame, name), "brk"))

    sides = ("left", "right", "top", "bottom", "header", "footer")
    orientation = "default" if setup is None else setup.get("orientation", "default")
    return PageSetup(
        orientation, number("paperSize", 0), number("scale", 100),
        (number("fitToWidth", 1), number("fitToHeight", 1)) if fits else None,
        () if margins is None else tuple(float(margins.get(side, "0")) for side in sides),
        element_text(child(heads, "oddHeader")), element_text(child(heads, "oddFooter")), breaks("rowBreaks"),
        breaks("colBreaks"),
    )  # fmt: skip


def follow_breaks(change: FrameChange, group: etree._Element) -> None:
    """A break stands after the line it names."""
    assert change.shift is not None
    for item in children(group, "brk"):
        behind = int(item.get("id", "0")) + 1
        moved = change.shift.line(behind)
        if moved is None or moved == 1:
            manual = item.get("man") in ("1", "true")
            change.drop(item)
            if manual and group.get("manualBreakCount") is not None:
                group.set("manualBreakCount", str(int(group.get("manualBreakCount", "1")) - 1))
        else:
            change.set(item, "id", str(moved - 1))
