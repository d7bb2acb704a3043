"""The demo's data files: the depots' exports with their mess, the lists, the ledgers, the pack's template.

`scripts/make_larkfold.py` writes those that ship; `tinquire demo --rows N` makes larger ones of the same shapes.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import date

from tinquire.larkfold import data
from tinquire.larkfold.dashboard import dashboard_template
from tinquire.larkfold.exports import DIALECTS, Cell, export, table_workbook
from tinquire.larkfold.letters import board_template, statement_template
from tinquire.larkfold.template import pack_template
from tinquire.larkfold.tidied import tidied
from tinquire.larkfold.view import view_template

__all__ = ["job_files"]

_COLUMNS = ("Ticket", "Collected", "Customer no", "Item", "Pieces", "Weight kg", "Driver", "Note")
#: The depot whose export has its columns in an order of its own.
_UPLANDS_ORDER = ("Collected", "Ticket", "Driver", "Customer no", "Item", "Weight kg", "Pieces", "Note")
#: The row of the first depot's export that comes twice.
_TWICE = 117


def job_files(rows: int | None = None) -> Iterator[tuple[str, bytes]]:
    """Path and content of every data file; `rows` asks for that many pickups a month."""
    for period in data.PERIODS:
        for depot in data.DEPOTS:
            yield f"sources/{period}/pickups-{depot.lower()}.xlsx", _pickups(period, depot, rows)
        yield f"sources/{period}/ledger-{period}.csv", _ledger(period, rows)
    yield "lists/rates.csv", _list("Code,Item,Band,Rate", data.rates())
    yield "lists/customers.xlsx", _customers()
    yield "lists/managers.csv", _list("Depot,Name,Email", data.managers())
    yield "lists/depot-views.xlsx", _depot_views()
    yield "lists/statement-lines.csv", _list("Line,Order,Kind,Category,Sign", data.position_lines())
    yield "lists/account-lines.csv", _list("Account,Line", data.position_accounts())
    yield "templates/pack.xlsx", pack_template()
    yield "templates/dashboard.xlsx", dashboard_template()
    yield "templates/view.xlsx", view_template()
    yield "templates/statement.docx", statement_template()
    yield "templates/board.docx", board_template()
    before = _pickups("2026-09", "Northgate", None)
    yield "learn/before.xlsx", before
    yield "learn/after.xlsx", tidied(before)


def _pickups(period: str, depot: str, rows: int | None) -> bytes:
    """A depot's export: titles, a blank row, headings, rows, a totals row."""
    entries = data.pickups(period, depot, rows)
    if depot == "Northgate" and len(entries) > _TWICE:
        entries.insert(_TWICE, entries[_TWICE])
    order = _UPLANDS_ORDER if depot == "Uplands" else _COLUMNS
    lines = [_line(entry, depot) for entry in entries]
    pieces = float(sum(entry.pieces or 0 for entry in entries))
    weight = round(sum(entry.weight for entry in entries), 1)
    totals: dict[str, Cell] = {order[0]: "Totals", "Pieces": pieces, "Weight kg": weight}
    year, month = (int(part) for part in period.split("-"))
    exported = date(year + month // 12, month % 12 + 1, 2)
    head: list[list[Cell]] = [
        [f"Larkfold Linen, {depot} depot: pickups {period}"],
        [f"Exported {exported.isoformat()} by the depot office"],
        [],
        list(order),
    ]
    body = [[line.get(heading) for heading in order] for line in (*lines, totals)]
    return export([*head, *body], "Pickups", DIALECTS[depot.lower()])


def _line(entry: data.Pickup, depot: str) -> dict[str, Cell]:
    number: Cell = float(entry.customer.number)
    day: Cell = entry.collected
    if depot == "Uplands":
        number = f"{entry.customer.number:06d}"
    if depot == "Harbour":
        number, day = str(entry.customer.number), f"{entry.collected:%d/%m/%Y}"
    return {
        "Ticket": entry.ticket,
        "Collected": day,
        "Customer no": number,
        "Item": entry.item,
        "Pieces": "none" if entry.pieces is None else float(entry.pieces),
        "Weight kg": entry.weight,
        "Driver": entry.driver,
        "Note": entry.note,
    }


def _ledger(period: str, rows: int | None) -> bytes:
    """Semicolons, decimal commas and a byte-order mark."""
    lines = ["Account;Name;Balance"]
    lines += [f"{number};{name};{amount:.2f}".replace(".", ",") for number, name, amount in data.ledger(period, rows)]
    return b"\xef\xbb\xbf" + "\r\n".join([*lines, ""]).encode()


def _list(headings: str, lines: Iterable[tuple[str, ...]]) -> bytes:
    return "\r\n".join([headings, *(",".join(line) for line in lines), ""]).encode()


def _depot_views() -> bytes:
    """The views that are wanted: of a depot or, with a star, of all of them; of a period or, likewise, of every one."""
    rows: list[list[Cell]] = [["Depot", "Period", "File name"]]
    rows += [[depot, "*", f"Depot view - {depot}"] for depot in data.DEPOTS]
    rows += [["*", "*", "Depot view - all depots"], ["*", data.PERIODS[0], "Depot view - opening month"]]
    return table_workbook(rows, "Views", "Views")


def _customers() -> bytes:
    rows: list[list[Cell]] = [["Number", "Name", "Depot", "Email", "Discount"]]
    rows += [[float(c.number), c.name, c.depot, c.email, float(c.discount)] for c in data.customers()]
    return table_workbook(rows, "Customers", "Customers")
