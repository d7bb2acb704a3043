"""Random chains of known changes, done to one sheet, learned from it, and replayed on another with other rows.

`python tests/learn/chains.py 1000 7` tells how many of a thousand chains are found in general form, and how many come
out wrong in silence.
"""

from __future__ import annotations

import random
import sys
from collections import Counter

from tinquire.amend.change import NotAsExpectedError, apply_amendments
from tinquire.amend.schema import Amendment
from tinquire.cells.address import Area
from tinquire.learn.find import learn
from tinquire.learn.prove import prove, replayed, reread
from tinquire.learn.steps import Learned, bound
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.grid.sheet import SheetTable, TableColumn

DEPOTS, ITEMS = ("Harbour", "Uplands", "Millrace", "Northgate"), ("bed sheet", "hand towel", "apron", "table cloth")
HEADINGS = ("Depot", "Ticket", "Collected", "Item", "Pieces", "Rate", "Note")


SHAPES = ("plain", "from the third column", "table", "with a block beside")
#: What the columns of a table of the file format do not do, and what would stand where its own parts do.
NOT_OF_TABLES = frozenset({"move", "code", "share", "charge", "filter", "below", "lines", "heads"})


def sheet_of(chance: random.Random, rows: int, top: int, shape: str) -> bytes:
    """A list with titles above it, tickets of which some come twice, blanks, zeros and notes."""
    book, sheet = Workbook.new(), Sheet("Data")
    left = 3 if shape == "from the third column" else 1
    for line in range(1, top - 1):
        sheet.set(line, left, f"Title {line}")
    for column, heading in enumerate(HEADINGS, left):
        sheet.set(top, column, heading)
    lines = []
    for number in range(rows):
        lines.append((
            chance.choice(DEPOTS), f"T{number + 100}", 46300.0 + chance.randrange(30), chance.choice(ITEMS),
            float(chance.choice((*[0] * 6, *range(1, 40)))), chance.choice((0.5, 1.25, 2.0, 3.5)), chance.choice((None, None, "late", "extra")),
        ))  # fmt: skip
        if chance.random() < 0.08:
            lines.append(lines[-1])
    for row, line in enumerate(lines, top + 1):
        for column, value in enumerate(line, left):
            sheet.set(row, column, value)
    if shape == "with a block beside":
        for row in range(top, top + 4):
            sheet.set(row, 20, f"note {row}")
    if shape == "table":
        area = Area(top, left, top + len(lines), left + len(HEADINGS) - 1)
        sheet.tables.append(SheetTable("Pickups", area, tuple(map(TableColumn, HEADINGS))))
    book.add_sheet(sheet)
    return book.to_bytes()


#: What a person may have done, in the order in which it is done; the first word says which of them exclude each other.
KNOWN: list[tuple[str, dict]] = [
    ("rows", {"unique": list(HEADINGS)}),
    ("rows", {"drop_rows": "[Pieces] = 0"}),
    ("rows", {"drop_rows": '[Depot] = "Uplands"'}),
    ("titles", {"insert_rows": "1:2"}),
    ("note", {"rename": {"Note": "Remark"}}),
    ("day", {"drop": ["Collected"]}),
    ("depot", {"heading": "Depot", "matching": "Millrace", "value": "Mill race"}),
    ("item", {"heading": "Item", "replace": {"sheet": "linen"}}),
    ("rate", {"heading": "Rate", "becomes": "[Rate]*1.1"}),
    ("rate", {"heading": "Rate", "type": "text"}),
    ("pieces", {"heading": "Pieces", "where": '[Item] = "apron"', "value": 41}),
    ("ticket", {"heading": "Ticket", "becomes": "LOWER([Ticket])"}),
    ("move", {"move": "Pieces", "after": "Depot"}),
    ("share", {"add": "Share", "formula": "=[Pieces]/SUM(rows[Pieces])"}),
    ("code", {"add": "Code", "before": "Depot", "becomes": "LEFT([Item], 3)"}),
    ("charge", {"add": "Charge", "formula": "=[Pieces]*[Rate]"}),
    ("kind", {"add": "Kind", "after": "Depot", "value": "washed"}),
    ("sort", {"sort": ["Depot", "-Pieces"]}),
    ("sort", {"sort": ["Ticket"]}),
    ("fill", {"where": "[Pieces] = 0", "look": {"fill": "#FBE3D6"}}),
    ("lines", {"borders": {"outside": "medium", "between_rows": "thin #B0B0B0", "headings": True}, "heading": "Depot"}),
    ("heads", {"headings": True, "look": {"bold": True, "fill": "#F4EFE6"}}),
    ("format", {"heading": "Rate", "format": "#,##0.00"}),
    ("look", {"heading": "Item", "look": {"italic": True}}),
    ("mark", {"marks": [{"on": ["Pieces"], "at_least": 30, "look": {"bold": True}}]}),
    ("entry", {"entries": [{"on": ["Depot"], "one_of": list(DEPOTS)}]}),
    ("filter", {"heading": "Depot", "filter": True}),
    ("freeze", {"heading": "Depot", "freeze": "headings"}),
    ("page", {"page": {"landscape": True}}),
    ("beside", {"at": "L1", "value": "All pieces"}),
    ("above", {"at": "M1:M1", "formula": "=SUM(rows[Pieces])"}),
    ("summary", {"summary": {"to": "By depot", "at": "A2", "rows": ["Depot"], "values": [{"sum": "Pieces"}, {"count": "Ticket", "as": "Tickets"}], "totals": "Total"}}),
    ("summary", {"summary": {"to": "By item", "at": "B2", "rows": ["Item"], "formulas": {"Pieces": "=SUMIFS(rows[Pieces],rows[Item],[Item])"}}}),
    ("below", {"heading": "Pieces", "total": "sum"}),
    ("below", {"below": [{"Depot": "Total", "Pieces": "=SUM(rows[Pieces])"}, {"Depot": "Average", "Pieces": "=AVERAGE(rows[Pieces])"}], "look": {"bold": True}}),
]  # fmt: skip


def changes(chance: random.Random, shape: str) -> list[dict]:
    """One to six known changes, in an order in which they can be done."""
    kinds: set[str] = set()
    found = []
    for place in sorted(chance.sample(range(len(KNOWN)), chance.randrange(1, 7))):
        kind, step = KNOWN[place]
        if kind not in kinds and not (shape == "table" and kind in NOT_OF_TABLES):
            kinds.add(kind)
            found.append(step)
    return found


def done(data: bytes, steps: list[dict]) -> Workbook:
    book = Workbook.from_bytes(data, "a.xlsx")
    apply_amendments(book, bound([Amendment.model_validate(step) for step in steps], "Data"))
    return reread(book)


def doing(data: bytes, steps: list[dict]) -> set[int]:
    """The places of the steps that change anything of a sheet, done one after the other."""
    book = Workbook.from_bytes(data, "a.xlsx")
    made = [Amendment.model_validate(step) for step in steps]
    return {number for number, one in enumerate(made) if apply_amendments(book, bound([one], "Data"))}


def attempt(chance: random.Random) -> tuple[str, list, list[str]]:
    """Learn one chain from one sheet, with a second pair, and replay it on a third: 'found', 'said' (that something is
    not explained), or 'wrong', in silence."""
    shape = chance.choice(SHAPES)
    steps = changes(chance, shape)
    while not steps:
        steps = changes(chance, shape)
    # With headings in the first row there is no room above them.
    tops = (3, 5) if any("at" in step for step in steps) or shape == "with a block beside" else (1, 3, 5)
    first, second, third = (sheet_of(chance, chance.randrange(25, 60), chance.choice(tops), shape) for _ in range(3))
    # What changes nothing in either pair cannot be learned from them.
    seen = doing(first, steps) | doing(second, steps)
    steps = [step for number, step in enumerate(steps) if number in seen]
    learned = learn(first, "a.xlsx", done(first, steps), [(second, done(second, steps))])
    if not learned.is_whole:
        return "said", [shape, *steps], learned.unexplained[:3]
    try:
        found = replayed(third, "a.xlsx", learned.steps, learned.home)
    except NotAsExpectedError as error:
        return "said", [shape, *steps], [str(error)]
    compared = Learned()
    prove(found, done(third, steps), compared)
    outcome = "wrong" if compared.unexplained else "found"
    return outcome, [shape, *steps], compared.unexplained[:3] + [step.says for step in learned.steps]


def many(count: int, seed: int, told: bool = False) -> Counter[str]:
    tally: Counter[str] = Counter()
    for number in range(count):
        outcome, steps, why = attempt(random.Random(f"{seed} {number}"))
        tally[outcome] += 1
        if told and outcome != "found":
            print(outcome, number, steps, why)
    return tally


if __name__ == "__main__":
    print(dict(many(int(sys.argv[1]), int(sys.argv[2]), told=True)))
