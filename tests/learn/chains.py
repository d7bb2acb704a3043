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
from tinquire.learn.find import find_steps
from tinquire.learn.prove import best_readings, differences
from tinquire.workbook import Sheet, Workbook

DEPOTS, ITEMS = ("Harbour", "Uplands", "Millrace", "Northgate"), ("bed sheet", "hand towel", "apron", "table cloth")
HEADINGS = ("Depot", "Ticket", "Collected", "Item", "Pieces", "Rate", "Note")


def sheet_of(chance: random.Random, rows: int, top: int) -> bytes:
    """A list with titles above it, tickets of which some come twice, blanks, zeros and notes."""
    book, sheet = Workbook.new(), Sheet("Data")
    for line in range(1, top - 1):
        sheet.set(line, 1, f"Title {line}")
    for column, heading in enumerate(HEADINGS, 1):
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
        for column, value in enumerate(line, 1):
            sheet.set(row, column, value)
    book.add_sheet(sheet)
    return book.to_bytes()


def changes(chance: random.Random) -> list[dict]:
    """One to six known changes, in an order in which they can be done."""
    known = [
        {"rename": {"Note": "Remark"}},
        {"drop": ["Collected"]},
        {"unique": list(HEADINGS)},
        {"drop_rows": "[Pieces] = 0"},
        {"drop_rows": '[Depot] = "Uplands"'},
        {"heading": "Depot", "matching": "Millrace", "value": "Mill race"},
        {"heading": "Item", "replace": {"sheet": "linen"}},
        {"add": "Charge", "formula": "=[Pieces]*[Rate]"},
        {"add": "Kind", "after": "Depot", "value": "washed"},
        {"sort": ["Depot", "-Pieces"]},
        {"sort": ["Ticket"]},
        {"heading": "Pieces", "total": "sum"},
        {"headings": True, "look": {"bold": True, "fill": "#F4EFE6"}},
        {"heading": "Rate", "format": "#,##0.00"},
        {"heading": "Item", "look": {"italic": True}},
    ]
    chosen = sorted(chance.sample(range(len(known)), chance.randrange(1, 7)))
    kinds: set[str] = set()
    found = []
    for place in chosen:
        kind = "rows" if {"unique", "drop_rows"} & set(known[place]) else next(iter(known[place]))
        if kind in ("sort", "rows") and kind in kinds:
            continue  # of two such changes the state after shows one
        kinds.add(kind)
        found.append(known[place])
    # What names all headings comes before columns go.
    return sorted(found, key=lambda one: "unique" not in one)


def done(data: bytes, steps: list[dict]) -> Workbook:
    book = Workbook.from_bytes(data, "a.xlsx")
    apply_amendments(
        book, [Amendment.model_validate({"sheet": "Data", **step} if "sort" in step else step) for step in steps]
    )
    return Workbook.from_bytes(book.to_bytes(), "a.xlsx")


def attempt(chance: random.Random) -> tuple[str, list[dict], list[str]]:
    """Learn one chain from one sheet, with a second pair, and replay it on a third: 'found', 'said' (that something is
    not explained), or 'wrong', in silence."""
    steps = changes(chance)
    first, second, third = (sheet_of(chance, chance.randrange(25, 60), chance.choice((1, 3, 5))) for _ in range(3))
    learned = best_readings(find_steps(first, "a.xlsx", done(first, steps)), [(second, done(second, steps))])
    if not learned.is_whole:
        return "said", steps, learned.unexplained[:3]
    wanted = done(third, steps)
    try:
        book = Workbook.from_bytes(third, "a.xlsx")
        apply_amendments(book, [step.amendment for step in learned.steps])
    except NotAsExpectedError as error:
        return "said", steps, [str(error)]
    found = list(differences(Workbook.from_bytes(book.to_bytes(), "a.xlsx"), wanted, "Data", "Data"))
    return ("wrong" if found else "found"), steps, found[:3] + [step.says for step in learned.steps]


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
