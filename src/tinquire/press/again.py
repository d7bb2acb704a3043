"""A run made again from its record, beside what it made then: the same docket, period and moment, from sources that are
held against what was read."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from tinquire import __version__
from tinquire.base.faults import DataError, Fault, UseError
from tinquire.base.placing import write_all
from tinquire.docket import Docket, load_docket, parse_period
from tinquire.press.make import make
from tinquire.press.outputs.output import Progress
from tinquire.press.proof.make import PROOF, PROOF_PAGES
from tinquire.press.proof.standing import FACT
from tinquire.press.record.daybook import Daybook, digest
from tinquire.press.record.kept import file_digest
from tinquire.press.unchanged import INPUTS

__all__ = ["MadeAgain", "make_again"]


@dataclass(frozen=True, slots=True)
class MadeAgain:
    """What came of it: the folder, files that are as they were then, those that are not, those that were not made
    then or now; and, in words, what was not as it was then."""

    folder: Path
    period: str
    at: str
    same: tuple[str, ...]
    different: tuple[str, ...]
    missing: tuple[str, ...]
    changed: tuple[str, ...]


def make_again(
    path: Path, number: int, environment: Mapping[str, str], progress: Progress, processes: int
) -> MadeAgain:  # fmt: skip
    """Make a run of the docket's folder again, into a folder of its own; nothing is sent, and nothing recorded.

    Raises UseError for a run that is not there, DataError for one from before records had what it takes, and what
    `make` raises.
    """
    book = Daybook(path.absolute().parent)
    record = book.run(number)
    if record is None:
        known = ", ".join(str(one) for one, *_ in book.runs()[:5])
        why = f"there is no run {number} in the daybook" + (f"; the latest are {known}" if known else "")
        raise UseError(Fault("making a run again", why, str(book.path), "tinquire history tells the runs"))
    stood = book.fact_of(number, FACT)
    if not isinstance(stood, dict) or "moment" not in stood:
        why = f"run {number} was made by {record[3]}, whose record does not hold the docket"
        raise DataError(Fault("making a run again", why, str(book.path), "only later runs can be made again"))
    docket = load_docket(path, str(stood["docket"]))
    moment = datetime.fromisoformat(str(stood["moment"]))
    pack = make(
        docket, parse_period(record[1]), now=moment, environment=environment, progress=progress, processes=processes
    )
    folder = docket.base / "as-of" / f"run {number}"
    beside = ("mail", PROOF, PROOF_PAGES)
    then = {file: content for output, file, content in book.made_by(number) if output not in beside}
    now: dict[str, str] = {}
    files: list[tuple[Path, bytes]] = []
    for made in pack.outputs:
        data = made.data
        now[made.path.relative_to(docket.base).as_posix()] = digest(data)
        files.append((folder / made.path.relative_to(pack.out), data))
    write_all(files)
    return MadeAgain(
        folder, record[1], record[2],
        tuple(file for file in then if now.get(file) == then[file]),
        tuple(file for file in then if file in now and now[file] != then[file]),
        tuple(file for file in (*then, *now) if (file in now) != (file in then)),
        tuple(_changes(book, docket, path, number, str(stood["docket"]), record[3])),
    )  # fmt: skip


def _changes(book: Daybook, docket: Docket, path: Path, number: int, text: str, tool: str) -> list[str]:
    """What is not as it was when the run was made, in words."""
    found = []
    if tool != f"tinquire {__version__}":
        found.append(f"it was made by {tool}, and is made by tinquire {__version__} now")
    try:
        if path.read_text("utf-8-sig") != text:
            found.append(f"{path.name} was changed since; it is taken as it was")
    except (OSError, UnicodeDecodeError):
        found.append(f"{path.name} cannot be read any more; it is taken as it was")
    read = [(file, f"{file}, read for {source},", content) for source, file, _, content in book.read_by(number)]
    inputs = book.fact_of(number, INPUTS)
    if isinstance(inputs, dict):  # templates, pictures and the house, too
        known = {file for file, *_ in read}
        read += [(file, file, content) for file, content in inputs["files"].items() if file not in known]
    for file, named, content in read:
        current = file_digest(docket.base / file)
        if content and current and current != content:
            found.append(f"{named} was changed since: it is taken as it is now")
    return found
