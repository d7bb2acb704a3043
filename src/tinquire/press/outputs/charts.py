"""Charts of a docket on their way to a sheet: the cells that they show, with their values, in the colours of the
house."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import known_names
from tinquire.cells.address import cell_name, quoted_sheet
from tinquire.cells.column import Kind
from tinquire.cells.display import show
from tinquire.cells.values import Value
from tinquire.charts.axes import value_scale
from tinquire.charts.chart import NUMERIC_KINDS, WHOLE_KINDS, Axis, Chart, Label, Series
from tinquire.charts.palette import neutral, series_colours
from tinquire.charts.ticks import Scale, axis_format
from tinquire.docket.schema.charts import ChartModel, ChartSeriesModel
from tinquire.looks import House
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.shown_rows import ShownRows
from tinquire.slots.slots import Slot, UnfilledSlot
from tinquire.tables.types import NUMERIC

__all__ = ["chart_of"]

#: So many values are told in the words for those who cannot see a chart.
_TOLD = 12


def chart_of(model: ChartModel, rows: ShownRows, scope: SlotScope, where: str) -> Chart:
    """A chart of rows that are shown. Raises UseError for columns that are not there, and charts that cannot be."""
    return _Making(model, rows, scope, f"the chart of '{rows.name}' on sheet '{rows.sheet}'", where).chart()


@dataclass(frozen=True)
class _Making:
    model: ChartModel
    rows: ShownRows
    scope: SlotScope
    stopped: str
    where: str

    @property
    def house(self) -> House:
        return self.scope.house

    def text(self, raw: str | None) -> str:
        return "" if raw is None else self.scope.filled(raw, self.stopped, self.where)

    def chart(self) -> Chart:
        model, house = self.model, self.house
        labels = self.one(model.labels) if model.labels is not None else 0
        series = tuple(one for asked in self.asked() for one in self.series(asked, labels))
        plain = [house.colour(name) for name in house.chart_colours or house.colours]
        colours = series_colours(
            plain, max(8, len(series), *(len(one.values) for one in series if one.kind in WHOLE_KINDS))
        )
        if house.chart_colours:
            colours = tuple(dict.fromkeys([*plain, *colours]))
        faint = neutral(plain)
        low, high = model.limits or (None, None)
        legend = model.legend
        if legend == "auto":
            several = len(series) > 1
            legend = "no" if not several else "right" if {one.kind for one in series} == {"lines"} else "bottom"
        chart = Chart(
            self.picked(series, colours, faint),
            title=self.text(model.title),
            stack=model.stack,
            labels_title=self.text(model.labels_title),
            values=Axis(self.text(model.values_title), "", low, high, model.log),
            second=Axis(self.text(model.second_title)),
            legend=legend,
            shows_values=model.values,
            gap=60 if model.gap is None else model.gap,
            target=self.target(),
            target_label=self.text(model.target_label),
            colours=colours,
            ink=house.appearance("body").colour or "27343A",
            faint=faint,
            font=house.appearance("body").font,
        )
        if problems := chart.problems():
            raise UseError(
                *(Fault(self.stopped, why, self.where, "change its kind, or what it shows") for why in problems)
            )
        chart = self.with_axis_formats(chart)
        return replace(chart, alt=self.text(model.alt) or self.words(chart))

    # -- series ----------------------------------------------------------------------------------------

    def one(self, name: str) -> int:
        """The first column that a name, which may have slots, means. Raises UseError."""
        name = self.text(name)
        found = self.rows.find(name)
        if not found:
            known = known_names(name, [word for one in self.rows.headings for word in one.names])
            why = f"'{self.rows.name}' shows no column '{name}': {known}"
            raise UseError(Fault(self.stopped, why, self.where, "name a column that it shows"))
        return found[0]

    def asked(self) -> list[ChartSeriesModel]:
        """The series, one by one; all columns of numbers where none are named."""
        given = [ChartSeriesModel(column=item) if isinstance(item, str) else item for item in self.model.series]
        if given:
            return given
        plain = [
            one.names[0]
            for number, one in enumerate(self.rows.headings)
            if number >= self.rows.labels and not one.is_total and one.type in NUMERIC
        ]
        if not plain:
            raise UseError(
                Fault(self.stopped, f"'{self.rows.name}' shows no column of numbers", self.where, "name its series")
            )
        return [ChartSeriesModel(column=name) for name in (plain[:1] if self.model.kind in WHOLE_KINDS else plain)]

    def series(self, asked: ChartSeriesModel, labels: int) -> list[Series]:
        """The series of what is asked: of a pivot's value one for each of its columns."""
        self.one(asked.column)
        kind = asked.kind or self.model.kind
        most = self.model.most
        stated = self.code(self.model.second_format if asked.second else self.model.format)
        made = []
        for index in self.rows.find(self.text(asked.column)):
            heading = self.rows.headings[index]
            values_at, rows = self.rows.cells(index, most)
            labels_at, _ = self.rows.cells(labels, most)
            sizes: tuple[float | None, ...] = ()
            sizes_at = ""
            if kind == "bubbles":
                if asked.size is None:
                    raise UseError(
                        Fault(self.stopped, "bubbles have a size, and none is named", self.where, 'say size = "COLUMN"')
                    )
                place = self.one(asked.size)
                sizes, (sizes_at, _) = self.numbers(place, rows), self.rows.cells(place, most)
            name = self.text(asked.as_) if asked.as_ is not None else heading.title
            name_at = ""
            if asked.as_ is None and heading.cell is not None:
                letters = cell_name(1, heading.cell[1])[:-1]
                name_at = f"{quoted_sheet(self.rows.sheet)}!${letters}${heading.cell[0]}"
            made.append(
                Series(
                    name, self.numbers(index, rows), self.labels(labels, rows, kind), kind, asked.second,
                    None if asked.colour is None else self.house.colour(asked.colour),
                    sizes=sizes, format=stated or self.house.number_format(heading.type),
                    labels_format=self.house.number_format(self.rows.headings[labels].type)
                    if self.rows.headings[labels].type != "text" else "General",
                    name_at=name_at, values_at=values_at, labels_at=labels_at, sizes_at=sizes_at,
                )
            )  # fmt: skip
        return made

    def numbers(self, index: int, rows: Sequence[int]) -> tuple[float | None, ...]:
        values = self.rows.headings[index].values
        return tuple(float(values.numbers[row]) if values.kinds[row] == Kind.NUMBER else None for row in rows)

    def labels(self, index: int, rows: Sequence[int], kind: str) -> tuple[Label, ...]:
        values = self.rows.headings[index].values
        found: list[Label] = []
        for row in rows:
            value: Value = values[row]
            if kind in NUMERIC_KINDS:
                found.append(value if isinstance(value, float) else None)
            else:
                found.append(value if value is None or isinstance(value, float | str) else str(value))
        return tuple(found)

    # -- what stands out -------------------------------------------------------------------------------

    def picked(self, series: tuple[Series, ...], colours: Sequence[str], faint: str) -> tuple[Series, ...]:
        """The series with the one label picked out, all others faint. Raises UseError for a label that is not there."""
        if self.model.pick is None:
            return series
        wanted = self.text(self.model.pick)
        made, seen = [], False
        for number, one in enumerate(series):
            places = [n for n, label in enumerate(one.label_texts()) if label.casefold() == wanted.casefold()]
            seen |= bool(places)
            if one.kind in WHOLE_KINDS:
                marks = tuple((n, colours[0] if n in places else faint) for n in range(len(one.values)))
                made.append(replace(one, marks=marks))
            else:
                strong = one.colour or colours[number % len(colours)]
                made.append(replace(one, colour=faint, marks=tuple((n, strong) for n in places)))
        if not seen:
            known = known_names(wanted, series[0].label_texts())
            raise UseError(Fault(self.stopped, f"it has no label '{wanted}': {known}", self.where, "pick another"))
        return tuple(made)

    def target(self) -> float | None:
        asked = self.model.target
        if asked is None or isinstance(asked, float | int):
            return None if asked is None else float(asked)
        found = self.scope.resolve(Slot(asked, asked))
        value = getattr(found, "value", None)
        if not isinstance(value, float):
            why = f"the target '{asked}' is no number" + (f": {found.why}" if isinstance(found, UnfilledSlot) else "")
            raise UseError(Fault(self.stopped, why, self.where, "write a number, or the name of a figure"))
        return value

    # -- formats and words -----------------------------------------------------------------------------

    def code(self, asked: str | None) -> str:
        return "" if asked is None else self.house.code(asked)

    def with_axis_formats(self, chart: Chart) -> Chart:
        """Number formats of the axes: those of the values, without places that no division needs."""
        if set(chart.kinds) & WHOLE_KINDS:
            return chart
        first = value_scale(chart)
        values, second = chart.values, chart.second
        firsts = [one for one in chart.series if not one.second] or chart.series
        code = "0%" if chart.stack == "share" else firsts[0].format
        values = _with_whole_steps(replace(values, format=axis_format(code, first.ticks)), code, first)
        seconds = [one for one in chart.series if one.second]
        if seconds:
            scale = value_scale(chart, second=True, first=first)
            second = replace(second, format=axis_format(seconds[0].format, scale.ticks))
        return replace(chart, values=values, second=second)

    def words(self, chart: Chart) -> str:
        """What a chart shows, for those who cannot see it."""
        parts = []
        for series in chart.series:
            pairs = [
                f"{label} {show(value, series.format).text}"
                for label, value in zip(series.label_texts(), series.values, strict=True)
                if value is not None
            ]
            more = f" and {len(pairs) - _TOLD} more" if len(pairs) > _TOLD else ""
            parts.append(f"{series.name}: {', '.join(pairs[:_TOLD])}{more}")
        return ". ".join(filter(None, [chart.title, *parts]))


def _with_whole_steps(axis: Axis, code: str, scale: Scale) -> Axis:
    """An axis of numbers shown without places, divided at whole numbers even where these are few."""
    parts = len(scale.ticks) > 1 and scale.ticks[1] - scale.ticks[0] < 1
    return (
        replace(axis, step=1.0, format=code)
        if parts and re.search("[0#]", code) and not re.search("[.%]", code)
        else axis
    )
