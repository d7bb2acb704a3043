"""The steps that lead from one state of a workbook to another, in general terms: by heading before address, to the last
row instead of to row 217, by conditions instead of lists of rows."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import chain

from tinquire.learn.details import BookDetails, other_details
from tinquire.learn.find_list import ListFinder
from tinquire.learn.lists import seen_list
from tinquire.learn.prove import best_readings, differences
from tinquire.learn.session import Session
from tinquire.learn.sheets import new_sheet
from tinquire.learn.steps import Learned
from tinquire.workbook import Workbook

__all__ = ["find_steps", "learn"]


def learn(data: bytes, name: str, after: Workbook, also: Sequence[tuple[bytes, Workbook]] = ()) -> Learned:
    """The steps from one state of a workbook to another, proved, that explain further pairs, too. Where a step is to be
    seen in a further pair alone (no row was repeated in the first), that one is learned from."""
    found = best_readings(find_steps(data, name, after), also)
    pairs = [(data, after), *also]
    for place, (content, wanted) in enumerate(also, start=1):
        if found.is_whole:
            break
        rest = [pair for number, pair in enumerate(pairs) if number != place]
        other = best_readings(find_steps(content, name, wanted), rest)
        if other.is_whole:
            found = other
    return found


def find_steps(data: bytes, name: str, after: Workbook) -> Session:
    """What was done to a workbook. Sheets are those of the same name, or, where one is gone and one is new, that of the
    same headings."""
    session = Session(data, name, after)
    before = session.work
    names = dict(_renamed(before, after))
    for old, new in names.items():
        session.do({"sheet": old, "rename_sheet": new}, f"the sheet '{old}' is called '{new}'", 1)
    kept = [one for one in after.sheet_names() if one in session.work.sheet_names()]
    changed = [one for one in kept if _differ(session.work, after, one)]
    finders: list[ListFinder] = []
    for one in changed:
        # Of several sheets a step has to say which it means; of one it holds for whatever sheet has the headings.
        alone = len(changed) == 1 and not names
        session.home = session.learned.home = one if alone else None
        finders.append(ListFinder(session, one, {} if alone else {"sheet": one}))
        finders[-1].find()
    for one in after.sheet_names():
        if one not in kept:
            new_sheet(session, one)
    # What is put below rows comes last: afterwards nobody could tell it from these.
    for finder in finders:
        finder.finish()
    for one in [one for one in session.work.sheet_names() if one not in after.sheet_names()]:
        session.do({"sheet": one, "delete_sheet": True}, f"the sheet '{one}' is deleted", 1)
    return session


def _renamed(before: Workbook, after: Workbook) -> Iterator[tuple[str, str]]:
    gone = [name for name in before.sheet_names() if name not in after.sheet_names()]
    new = [name for name in after.sheet_names() if name not in before.sheet_names()]
    for name in gone:
        one = seen_list(before, name)
        for other in new:
            seen = seen_list(after, other, one.headings if one else ())
            if one is not None and seen is not None and _alike(set(one.headings), set(seen.headings)):
                new.remove(other)
                yield name, other
                break


def _alike(one: set[str], other: set[str]) -> bool:
    """Whether most headings are the same: a summary has some of those of its rows, too."""
    return 2 * len(one & other) > len(one)


def _differ(before: Workbook, after: Workbook, name: str) -> bool:
    """Whether a sheet's cells, looks or set-up are others than before."""
    found = chain(
        differences(before, after, name, name, 0), other_details(BookDetails(before), BookDetails(after), name)
    )
    return next(found, None) is not None
