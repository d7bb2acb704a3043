"""The first stage of a run: its sources read into tables, or left in their database."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path

from tinquire.base.faults import Fault, TinQuireError
from tinquire.base.wording import counted
from tinquire.docket.schema.base import cell_value
from tinquire.docket.schema.sources import SourceModel
from tinquire.press.compute.run import Run, formula_names
from tinquire.sources import FileRead, RemoteGroups, RemoteRows, SourceRead, SourceSpec, gather

__all__ = ["Fetched", "Sources", "read_sources", "with_fetched"]


@dataclass(frozen=True)
class Sources:
    """The sources that were read, those whose rows stay in their database, and what could not be read."""

    gathered: Mapping[str, SourceRead]
    remote: Mapping[str, RemoteRows]
    errors: tuple[TinQuireError, ...] = ()

    @property
    def warnings(self) -> tuple[Fault, ...]:
        return tuple(warning for gathered in self.gathered.values() for warning in gathered.warnings)


@dataclass(frozen=True, slots=True)
class Fetched:
    """Groups of rows that a database calculated for a source."""

    source: str
    groups: RemoteGroups


def read_sources(run: Run, progress: Callable[[str], None]) -> Sources:
    """Read every source; one that cannot be read does not hide what is wrong with the next."""
    gathered: dict[str, SourceRead] = {}
    remote: dict[str, RemoteRows] = {}
    errors: list[TinQuireError] = []
    for name, model in run.docket.model.sources.items():
        if model.rows == "stay":
            remote[name] = _remote(run, name, model)
            continue
        progress(f"reading {name}")
        try:
            gathered[name] = gather(_spec(run, name, model))
        except TinQuireError as error:
            errors.append(error)
    return Sources(gathered, remote, tuple(errors))


def _remote(run: Run, name: str, model: SourceModel) -> RemoteRows:
    spec = _spec(run, name, model)
    names = formula_names(run.known)
    return RemoteRows(
        name, str(spec.database), spec.query, spec.parameters, spec.base, spec.password, spec.types, names
    )


def with_fetched(gathered: Mapping[str, SourceRead], fetched: Iterable[Fetched]) -> dict[str, SourceRead]:
    """Sources with what databases calculated for them, for the record of what was read."""
    sources = dict(gathered)
    for item in fetched:
        groups = item.groups
        before = sources[item.source].files if item.source in sources else ()
        note = f"{counted(groups.rows, 'row')} stay in the database; {counted(groups.labels.height, 'group')} travelled"
        read = FileRead(Path(), groups.shown, groups.labels.height, (note,), groups.digest)
        sources[item.source] = SourceRead(groups.labels, (*before, read), ())
    return sources


def _spec(run: Run, name: str, source: SourceModel) -> SourceSpec:
    """The source as the reader wants it: slots in its paths filled, its stamps ready for each file."""
    scope = run.slots()
    where = run.docket.where("sources", name)

    def path(text: str | None) -> str | None:
        return None if text is None else scope.filled(text, f"source '{name}'", where)

    def stamp(text: str) -> Callable[[Path, str], str]:
        def at(file: Path, sheet: str) -> str:
            of_file = scope.also(
                {"file.stem": file.stem, "file.name": file.name, "file.folder": file.parent.name, "sheet": sheet}
            )
            return of_file.filled(text, f"source '{name}', stamping {file.name}", where)

        return at

    return SourceSpec(
        name=name,
        base=run.docket.base,
        area=source.range,
        known_as=source.known_as,
        same_file=source.same_file,
        database=source.database,
        query=source.query or "",
        parameters={"period": run.period.text, "period_first": run.period.first, "period_last": run.period.last},
        password=run.password(source.password_from),
        where=run.docket.where("sources", name, "files" if source.files is not None else "file"),
        files=path(source.files),
        file=path(source.file),
        sheet=source.sheet,
        table=source.table,
        header=source.header,
        totals_row=source.totals_row,
        types=source.types,
        read_as=source.read_as,
        unreadable=source.unreadable
        if isinstance(source.unreadable, str)
        else {heading: cell_value(value) for heading, value in source.unreadable.items()},
        differing=source.differing,
        separator=source.separator,
        decimal=source.decimal,
        encoding=source.encoding,
        stamps={heading: stamp(text) for heading, text in source.stamp.items()},
    )
