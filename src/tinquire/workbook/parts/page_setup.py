"""How a sheet is printed (18.3.1.62 to .64): paper, margins, fitting, headers and footers, page breaks."""

from __future__ import annotations

from lxml import etree

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area, column_name, quoted_sheet
from tinquire.packages.xml import child, children, escape_text
from tinquire.workbook.grid.page_setup import PageSetup
from tinquire.workbook.parts.drawings import element_text
from tinquire.workbook.parts.frame_change import FrameChange

__all__ = ["fixed_area", "follow_breaks", "page_markup", "read_page_setup"]

_SIDES = ("left", "right", "top", "bottom", "header", "footer")


#: No paper is so many inches wide.
_BEYOND_PAPER = 1_000.0


def _inches(text: str) -> float:
    """A margin. Raises ValueError."""
    inches = float(text)
    if not abs(inches) < _BEYOND_PAPER:
        raise ValueError(f"a margin of {inches:g} inches is wider than any paper")
    return inches


def read_page_setup(frame: etree._Element) -> PageSetup:
    """How a sheet is printed. Raises ValueError for numbers that are none."""
    setup, margins = child(frame, "pageSetup"), child(frame, "pageMargins")
    properties = child(child(frame, "sheetPr"), "pageSetUpPr")
    heads = child(frame, "headerFooter")
    fits = properties is not None and properties.get("fitToPage") in ("1", "true")

    def number(name: str, default: int) -> int:
        text = "" if setup is None else setup.get(name, "")
        return int(text) if text.isdecimal() else default

    def breaks(name: str) -> tuple[int, ...]:
        return tuple(int(item.get("id", "0")) for item in children(child(frame, name), "brk"))

    options = child(frame, "printOptions")

    def option(name: str) -> bool:
        return options is not None and options.get(name) in ("1", "true")

    orientation = "default" if setup is None else setup.get("orientation", "default")
    return PageSetup(
        orientation, number("paperSize", 0), number("scale", 100),
        (number("fitToWidth", 1), number("fitToHeight", 1)) if fits else None,
        () if margins is None else tuple(_inches(margins.get(side, "0")) for side in _SIDES),
        element_text(child(heads, "oddHeader")), element_text(child(heads, "oddFooter")), breaks("rowBreaks"),
        breaks("colBreaks"), (option("horizontalCentered"), option("verticalCentered")), option("gridLines"),
        setup is not None and setup.get("pageOrder") == "overThenDown",
    )  # fmt: skip


def page_markup(page: PageSetup) -> str:
    """The elements of a sheet's pages, in the order of 18.3.1.99."""
    options = {
        "gridLines": page.gridlines, "horizontalCentered": page.centred[0], "verticalCentered": page.centred[1],
    }  # fmt: skip
    chosen = "".join(f' {name}="1"' for name, on in sorted(options.items()) if on)
    pieces = [f"<printOptions{chosen}/>" if chosen else ""]
    margins = "".join(f' {side}="{inches:.6g}"' for side, inches in zip(_SIDES, page.margins, strict=True))
    pieces.append(f"<pageMargins{margins}/>")
    setup = f' paperSize="{page.paper}"' if page.paper else ""
    if page.fit is not None:
        across, down = page.fit
        setup += (f' fitToWidth="{across}"' if across != 1 else "") + (f' fitToHeight="{down}"' if down != 1 else "")
    elif page.scale != 100:
        setup += f' scale="{page.scale}"'
    setup += ' pageOrder="overThenDown"' if page.across_first else ""
    setup += f' orientation="{page.orientation}"' if page.orientation != "default" else ""
    pieces.append(f"<pageSetup{setup}/>")
    heads = "".join(
        f"<{name}>{escape_text(text)}</{name}>"
        for name, text in (("oddHeader", page.header), ("oddFooter", page.footer))
        if text
    )
    pieces.append(f"<headerFooter>{heads}</headerFooter>" if heads else "")
    for name, lines, last in (("rowBreaks", page.row_breaks, MAX_COLUMN), ("colBreaks", page.column_breaks, MAX_ROW)):
        if lines:
            each = "".join(f'<brk id="{line}" max="{last - 1}" man="1"/>' for line in lines)
            pieces.append(f'<{name} count="{len(lines)}" manualBreakCount="{len(lines)}">{each}</{name}>')
    return "".join(pieces)


def fixed_area(sheet: str, area: Area) -> str:
    """An area of a sheet as names refer to it."""
    corners = ((area.top, area.left), (area.bottom, area.right))
    return f"{quoted_sheet(sheet)}!" + ":".join(f"${column_name(column)}${row}" for row, column in corners)


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
