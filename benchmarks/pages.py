"""Pages: whole documents, widths of texts, pictures, variants of a report, one page of a large workbook."""

from __future__ import annotations

import io
import tempfile
from collections.abc import Iterator
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

import numpy as np

from benchmarks.measure import Measure, memory
from tinquire.cells import Column
from tinquire.cells.address import Area
from tinquire.charts import Chart, Series
from tinquire.charts.draw import draw_chart
from tinquire.looks import Appearance, Edge, Edges
from tinquire.pages.document import Part, lay_out
from tinquire.pages.pdf import pdf_of
from tinquire.pages.png import page_pictures
from tinquire.pages.sheet_layout import Asked
from tinquire.pages.typefaces import Typefaces, find_face
from tinquire.pages.variants import PrintPlan, Variant, find_setting
from tinquire.press.outputs.variants import VariantJob, made_variants
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.edit.names import set_name
from tinquire.workbook.grid.frames import Frame
from tinquire.workbook.grid.page_setup import PageSetup

__all__ = ["measures"]

NOW = datetime(2026, 11, 3, 9, tzinfo=UTC)
PAGES, ROWS, COLUMNS, TEXTS, VARIANTS = 200, 45, 10, 90_000, 200
_FONT = "DejaVu Sans"
_MARGINS = (0.5, 0.5, 0.5, 0.5, 0.2, 0.2)


def measures() -> Iterator[Measure]:
    """The lines of the table for pages."""
    book = _pages_book()
    yield Measure(
        f"lay out and write {PAGES} pages of {ROWS} x {COLUMNS} cells with fills and borders, embedded font",
        "ReportLab's canvas, one call per text, area and line", 0.3,
        lambda: pdf_of(lay_out([Part(book)], NOW, "t"), NOW), _by_calls,
    )  # fmt: skip
    yield _widths()
    pdf = pdf_of(lay_out([Part(book, (), Asked(areas=(Area(1, 1, ROWS, COLUMNS),)))], NOW, "t"), NOW)
    yield Measure(
        "a page as a PNG at 96 dpi", "pdfium rendering it alone", 2,
        lambda: list(page_pictures(pdf, 96, (1,))), partial(_rendered, pdf),
    )  # fmt: skip
    yield from _variants()
    yield _one_page()
    yield _memory()


# -- whole documents -------------------------------------------------------------------------------------


def _pages_book() -> Workbook:
    """A sheet of 200 pages: texts, a third of them distinct, numbers, every other row filled, lines around cells."""
    book = Workbook.new(_FONT, 8)
    rng = np.random.default_rng(3)
    rows = PAGES * ROWS
    sheet = Sheet("S", page=PageSetup(paper=9, margins=_MARGINS, row_breaks=tuple(range(ROWS, rows, ROWS))))
    line = Edge("thin", "8A979C")
    edges = Edges(line, line, line, line)
    filled = book.styles.number(Appearance(size=7, fill="F4EFE6", edges=edges, font=_FONT))
    plain = book.styles.number(Appearance(size=7, edges=edges, font=_FONT))
    money = book.styles.number(Appearance(size=7, edges=edges, font=_FONT, format="#,##0.00"))
    banded = np.where(np.arange(rows) % 2, filled, plain).astype(np.int32)
    for column in range(1, COLUMNS + 1):
        codes = rng.integers(0, rows // 3, rows).astype(np.int32)
        if column % 3:
            sheet.put(1, column, Column.of_codes(codes, [f"item {n:05}" for n in range(rows // 3)]), banded)
        else:
            sheet.put(1, column, Column.of_numbers(np.round(rng.uniform(0, 9999, rows), 2)), money)
        sheet.widths[column] = 9.5
    book.add_sheet(sheet)
    return Workbook.from_bytes(book.to_bytes(), "b.xlsx")


def _by_calls() -> bytes:
    """The same page after page, a call for each text, area and line."""
    from reportlab.pdfbase.pdfmetrics import registerFont
    from reportlab.pdfbase.ttfonts import TTFont
    from reportlab.pdfgen.canvas import Canvas

    face = find_face(_FONT, False, False)
    assert face is not None
    registerFont(TTFont("Plain", str(face.path)))
    stream = io.BytesIO()
    canvas = Canvas(stream, pagesize=(595, 842), pageCompression=1, invariant=1)
    for page in range(PAGES):
        canvas.setFont("Plain", 7)
        for row in range(ROWS):
            y = 800 - row * 16
            for column in range(COLUMNS):
                x = 40 + column * 52
                if row % 2:
                    canvas.setFillColorRGB(0.957, 0.937, 0.902)
                    canvas.rect(x, y, 52, 16, stroke=0, fill=1)
                    canvas.setFillColorRGB(0, 0, 0)
                for ends in (
                    (x, y, x + 52, y),
                    (x, y, x, y + 16),
                    (x + 52, y, x + 52, y + 16),
                    (x, y + 16, x + 52, y + 16),
                ):
                    canvas.line(*ends)
                text = f"item {(page * 7 + row * 31 + column) % 3000:05}"
                if column % 3 == 2:
                    canvas.drawRightString(x + 50, y + 4, text)
                else:
                    canvas.drawString(x + 2, y + 4, text)
        canvas.showPage()
    canvas.save()
    return stream.getvalue()


def _widths() -> Measure:
    from reportlab.pdfbase.pdfmetrics import registerFont, stringWidth
    from reportlab.pdfbase.ttfonts import TTFont

    rng = np.random.default_rng(7)
    texts = [f"customer number {n:06}" for n in rng.integers(0, TEXTS // 3, TEXTS).tolist()]
    face = find_face(_FONT, False, False)
    assert face is not None
    registerFont(TTFont("Plain", str(face.path)))

    def beside() -> None:
        for text in texts:
            stringWidth(text, "Plain", 9)

    return Measure(
        f"the widths of {TEXTS:,} texts, a third of them distinct", "ReportLab's stringWidth for each", 0.1,
        lambda: Typefaces().of(_FONT).widths(texts), beside,
    )  # fmt: skip


def _rendered(pdf: bytes) -> None:
    import pypdfium2

    document = pypdfium2.PdfDocument(pdf)
    page = document[0]
    page.render(scale=96 / 72)
    document.close()


# -- variants --------------------------------------------------------------------------------------------


def _report() -> tuple[bytes, list[str]]:
    """A report of 60 formulas and two charts that hang on one cell, over 2,000 rows; and the values of the cell."""
    book = Workbook.new(_FONT, 9)
    rng = np.random.default_rng(11)
    names = [f"depot {n:03}" for n in range(VARIANTS)]
    data = Sheet("Data")
    data.put(1, 1, Column.of_codes(rng.integers(0, VARIANTS, 2_000).astype(np.int32), names))
    data.put(1, 2, Column.of_codes(rng.integers(0, 12, 2_000).astype(np.int32), [f"item {n:02}" for n in range(12)]))
    data.put(1, 3, Column.of_numbers(np.round(rng.uniform(1, 500, 2_000), 2)))
    sheet = Sheet("Report", page=PageSetup(paper=9, margins=_MARGINS, fit=(1, 1)))
    money = book.styles.number(Appearance(format="#,##0.00", font=_FONT))
    sheet.set(1, 1, names[0])
    for row in range(12):
        sheet.set(row + 3, 1, f"item {row:02}")
        for column, how in enumerate(("SUMIFS", "AVERAGEIFS", "COUNTIFS", "MAXIFS", "MINIFS"), start=2):
            values = "" if how == "COUNTIFS" else "Data!$C$1:$C$2000,"
            formula = f"IFERROR({how}({values}Data!$A$1:$A$2000,$A$1,Data!$B$1:$B$2000,$A{row + 3}),0)"
            sheet.set(row + 3, column, None, money, formula)
    sheet.frames = [
        Frame(17, 1 + 4 * n, 220.0, 150.0, _chart(kind, letter), kind, kind)
        for n, (kind, letter) in enumerate((("columns", "B"), ("bars", "D")))
    ]
    book.add_sheet(sheet)
    book.add_sheet(data)
    book.settle()
    set_name(book, "depot", "Report!$A$1")
    recalculate(book)
    return book.to_bytes(), names


def _chart(kind: str, letter: str) -> Chart:
    rows = "$3:${}$14"
    series = Series(
        "Charged", tuple(float(n * 7 % 11 + 1) for n in range(12)), tuple(f"item {n:02}" for n in range(12)), kind=kind,
        values_at=f"Report!${letter}" + rows.format(letter), labels_at="Report!$A" + rows.format("A"), format="#,##0",
    )  # fmt: skip
    return Chart((series,), "Charged", font=_FONT)


def _variants() -> Iterator[Measure]:
    data, names = _report()
    book = Workbook.from_bytes(data, "r.xlsx")
    setting = find_setting(book, "depot")
    variants = [Variant(name, ((setting, name),)) for name in names]
    job = VariantJob(data, "r.xlsx", PrintPlan(("Report",), allow_empty=True), NOW, "pdf")

    def made(workers: int, count: int = VARIANTS) -> None:
        for one in made_variants(job, variants[:count], names[:count], workers=workers):
            if one.error is not None:
                raise one.error

    yield Measure(
        f"{VARIANTS} variants of a report: 60 cells and two charts each, to PDFs, in one process",
        "drawing these charts alone, as PNG pictures by Matplotlib", 1.3, partial(made, 1), _charts_alone,
    )  # fmt: skip
    yield Measure(
        f"the same {VARIANTS} variants by two processes", "one process", 0.65, partial(made, 2), partial(made, 1)
    )


def _charts_alone() -> None:
    """The two charts of each variant as Matplotlib draws a picture of each."""
    from tinquire.charts.pictures import picture

    for _ in range(VARIANTS):
        for kind, letter in (("columns", "B"), ("bars", "D")):
            picture(draw_chart(_chart(kind, letter), 220.0, 150.0), "png")


# -- large workbooks -------------------------------------------------------------------------------------


def _one_page() -> Measure:
    folder = Path(tempfile.mkdtemp())
    book = Workbook.new(_FONT, 9)
    rng = np.random.default_rng(13)
    for number in range(10):
        sheet = Sheet(f"S{number}")
        for column in range(1, 16):
            sheet.put(1, column, Column.of_numbers(rng.uniform(0, 1e6, 40_000)))
        book.add_sheet(sheet)
    path = folder / "large.xlsx"
    book.save(path)

    def one() -> None:
        part = Part(Workbook.open(path), ("S4",), Asked(areas=(Area(1, 1, 45, 8),)))
        pdf_of(lay_out([part], NOW, "t"), NOW)

    return Measure(
        f"one page of a sheet in a workbook of ten sheets ({path.stat().st_size / 1e6:.0f} MB)", "reading that sheet",
        1.3, one, lambda: Workbook.open(path).sheet("S4"),
    )  # fmt: skip


_MEMORY = """
import sys
from benchmarks import pages
data, names = pages._report()
from tinquire.pages.variants import Variant, find_setting, PrintPlan
from tinquire.press.outputs.variants import VariantJob, made_variants
from tinquire.workbook import Workbook
setting = find_setting(Workbook.from_bytes(data, "r.xlsx"), "depot")
count = int(sys.argv[1])
wanted = [names[n % len(names)] for n in range(count)]
job = VariantJob(data, "r.xlsx", PrintPlan(("Report",), allow_empty=True), pages.NOW, "pdf")
for one in made_variants(job, [Variant(name, ((setting, name),)) for name in wanted], wanted, workers=1):
    pass
"""


def _memory() -> Measure:
    return memory("memory for 1,000 variants", "memory for ten", 1.2, _MEMORY, 1_000, 10)
