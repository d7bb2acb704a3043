"""Values shown as something else than themselves (ECMA-376 Part 1, 18.18.70): shares, differences, running totals."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.values import CellError
from tinquire.workbook.pivots.definition import DataField
from tinquire.workbook.pivots.reckoning import Block
from tinquire.workbook.pivots.working import Side, WorkedPivot

__all__ = ["KNOWN_WAYS", "shown_block"]

#: The item before, or after, the own one, in place of a fixed one (18.10.1.22, baseItem).
_BEFORE, _AFTER = 1048828, 1048829

_SHARES = ("percentOfRow", "percentOfCol", "percentOfTotal", "index")
_PARENTS = ("percentOfParentRow", "percentOfParentCol", "percentOfParent")
_AGAINST = ("difference", "percent", "percentDiff")
_ALONG = (*_AGAINST, "runTotal", "percentOfRunningTotal", "rankAscending", "rankDescending")
#: All that is known.
KNOWN_WAYS = ("normal", *_SHARES, *_PARENTS, *_ALONG)


def shown_block(worked: WorkedPivot, row_level: int, column_level: int, data: int, how: str | None) -> Block:
    """The values of all groups of two levels as their data field shows them."""
    own = worked.block(row_level, column_level, data, how)
    one = worked.definition.data[data]
    if one.shown in _SHARES:
        return _shares(worked, own, (row_level, column_level), data, how)
    if one.shown in _PARENTS:
        return _parents(worked, own, (row_level, column_level), data, how)
    if one.shown in _ALONG:
        return _along(worked, own, (row_level, column_level), one)
    return own


def _divided(own: Block, by: NDArray[np.float64], there: NDArray[np.bool_]) -> Block:
    """Shares; what has no rows has none of a whole that is there."""
    by, there = np.broadcast_to(by, own.values.shape), np.broadcast_to(there, own.values.shape)
    zero = (by == 0) & there
    values = np.divide(own.values, by, out=np.zeros(own.values.shape), where=by != 0)
    errors = np.where(own.errors > 0, own.errors, np.where(zero, CellError.DIV0.code + 1, 0))
    return Block(np.where(own.there, values, 0.0), there, errors)


def _shares(worked: WorkedPivot, own: Block, at: tuple[int, int], data: int, how: str | None) -> Block:
    row_level, column_level = at
    shown = worked.definition.data[data].shown
    whole = worked.block(0, 0, data, how)
    if shown == "percentOfTotal":
        return _divided(own, whole.values, whole.there)
    rows, columns = worked.block(row_level, 0, data, how), worked.block(0, column_level, data, how)
    if shown == "percentOfRow":
        return _divided(own, rows.values, rows.there)
    if shown == "percentOfCol":
        return _divided(own, columns.values, columns.there)
    weighted = replace(own, values=own.values * whole.values)
    return replace(_divided(weighted, rows.values * columns.values, rows.there & columns.there), there=own.there)


def _parents(worked: WorkedPivot, own: Block, at: tuple[int, int], data: int, how: str | None) -> Block:
    """Shares of the group around, or of the one that a base field's item makes."""
    row_level, column_level = at
    one = worked.definition.data[data]
    if one.shown == "percentOfParent":
        on_rows = one.base_field in worked.row_side.fields
        side, level = (worked.row_side, row_level) if on_rows else (worked.column_side, column_level)
        if one.base_field not in side.fields:
            return replace(own, there=np.zeros_like(own.there))
        target = side.fields.index(one.base_field) + 1
        if level < target:
            return replace(own, there=np.zeros_like(own.there))
    else:
        on_rows = one.shown == "percentOfParentRow"
        side, level = (worked.row_side, row_level) if on_rows else (worked.column_side, column_level)
        target = max(level - 1, 0)
    places = np.arange(side.levels[level].count)
    for above in range(level, target, -1):
        places = side.levels[above].parents[places]
    if on_rows:
        whole = worked.block(target, column_level, data, how)
        return _divided(own, whole.values[places], whole.there[places])
    whole = worked.block(row_level, target, data, how)
    return _divided(own, whole.values[:, places], whole.there[:, places])


# -- along the items of a field --------------------------------------------------------------------------


@dataclass(frozen=True)
class _Track:
    """Groups that differ in a base field's item alone, in the order in which it is shown: each group's track and its
    place on it, and the position of its item."""

    track: NDArray[np.int64]
    place: NDArray[np.int64]
    item: NDArray[np.int64]

    def at(self) -> dict[tuple[int, int], int]:
        pairs = zip(self.track.tolist(), self.place.tolist(), strict=True)
        return {pair: group for group, pair in enumerate(pairs)}


def _tracks(side: Side, level: int, base: int) -> _Track:
    """The tracks of a level's groups along the field of level `base`."""
    count = side.levels[level].count
    places, below = np.arange(count), []
    for above in range(level, base, -1):
        below.append(side.levels[above].positions[places])
        places = side.levels[above].parents[places]
    ranks = np.zeros(side.levels[base].count, np.int64)
    for own in side.inner[base - 1]:
        ranks[own] = np.arange(len(own))
    known: dict[tuple[int, ...], int] = {}
    keys = zip(side.levels[base].parents[places].tolist(), *(one.tolist() for one in below), strict=True)
    track = np.array([known.setdefault(key, len(known)) for key in keys], np.int64)
    return _Track(track, ranks[places], side.levels[base].positions[places])


def _along(worked: WorkedPivot, own: Block, at: tuple[int, int], one: DataField) -> Block:
    on_rows = one.base_field in worked.row_side.fields
    side, level = (worked.row_side, at[0]) if on_rows else (worked.column_side, at[1])
    base = side.fields.index(one.base_field) + 1 if one.base_field in side.fields else 0
    if not base or level < base:
        return replace(own, there=np.zeros_like(own.there))
    track = _tracks(side, level, base)
    if not on_rows:
        own = _turned(own)
    own = replace(own, values=np.where(own.there, own.values, 0.0))
    found = _against(worked, one, track, own) if one.shown in _AGAINST else _running(one, track, own)
    return found if on_rows else _turned(found)


def _turned(block: Block) -> Block:
    return Block(block.values.T, block.there.T, block.errors.T)


def _against(worked: WorkedPivot, one: DataField, track: _Track, own: Block) -> Block:
    """Values against those of another item: a fixed one, or the one before or after."""
    values, there, errors = own.values, own.there, own.errors
    if one.base_item in (_BEFORE, _AFTER):
        step = -1 if one.base_item == _BEFORE else 1
        known = track.at()
        pairs = zip(track.track.tolist(), (track.place + step).tolist(), strict=True)
        other = np.array([known.get(pair, -1) for pair in pairs], np.int64)
        itself = np.zeros(len(other), bool)
    else:
        position = worked.items[one.base_field].moved.get(one.base_item, -1)
        at = {int(track.track[group]): int(group) for group in np.flatnonzero(track.item == position)}
        other = np.array([at.get(key, -1) for key in track.track.tolist()], np.int64)
        itself = other == np.arange(len(other))
    has = (other >= 0)[:, None]
    base = np.where(has, values[other], 0.0)
    based = has & there[other]
    if one.shown == "difference":
        return Block(values - base, (based | (has & there)) & ~itself[:, None], errors)
    zero = based & (base == 0)
    share = np.divide(values, base, out=np.zeros(values.shape), where=base != 0)
    if one.shown == "percent":
        share = np.where(has, share, 1.0)
        return Block(share, based | (~has & there), np.where(zero, CellError.DIV0.code + 1, errors))
    return Block(share - 1.0, based & ~itself[:, None], np.where(zero, CellError.DIV0.code + 1, errors))


def _running(one: DataField, track: _Track, own_block: Block) -> Block:
    """Running totals and ranks along a track."""
    values, there = own_block.values, own_block.there
    found, shown = np.zeros(values.shape), np.array(there)
    order = np.lexsort((track.place, track.track))
    bounds = np.flatnonzero(np.diff(track.track[order])) + 1
    for own in np.split(order, bounds):
        if one.shown.startswith("rank"):
            sign = 1.0 if one.shown == "rankAscending" else -1.0
            for column in range(values.shape[1]):
                here = own[there[own, column]]
                distinct = np.unique(sign * values[here, column])
                found[here, column] = np.searchsorted(distinct, sign * values[here, column]) + 1
            continue
        running = np.cumsum(values[own], axis=0)
        if one.shown == "percentOfRunningTotal":
            whole = running[-1:]
            running = np.divide(running, whole, out=np.zeros(running.shape), where=whole != 0)
        found[own] = running
        shown[own] = np.logical_or.accumulate(there[own], axis=0)
    return Block(found, shown, own_block.errors)
