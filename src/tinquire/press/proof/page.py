"""The proof as one self-contained HTML page: read on a screen, a phone and paper, without scripts or outside links."""

from __future__ import annotations

import base64
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from html import escape
from pathlib import Path
from urllib.parse import quote

from tinquire.base.faults import Fault
from tinquire.base.wording import counted
from tinquire.cells.display import texts_in
from tinquire.cells.values import Value
from tinquire.looks import House
from tinquire.press.compute.results import Results
from tinquire.press.outputs.output import Made
from tinquire.press.proof.standing import Change, Moved, Summary, control_totals
from tinquire.press.proof.style import STYLE

__all__ = ["Mail", "ProofPage", "proof_html"]

#: More mails than these of one docket's entry are folded away.
_OPEN = 12


@dataclass(frozen=True, slots=True)
class Mail:
    """A mail as the proof tells it."""

    name: str
    to: tuple[str, ...]
    subject: str
    attachments: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class ProofPage:
    """All that a proof shows."""

    results: Results
    made_at: str
    figures: Sequence[Change]
    summaries: Sequence[Summary]
    moved: tuple[Sequence[Moved], Sequence[Moved]]
    warnings: Sequence[Fault]
    outputs: Sequence[Made]
    pictures: Mapping[Path, bytes]
    mails: Sequence[Mail]
    #: Lines of the docket that are new or gone; None without a period before.
    docket: Sequence[str] | None
    #: The folder that the page will lie in: links to outputs are seen from there.
    folder: Path
    known: bool = field(default=False)
    #: How many pieces of which outputs were not made, since only a part was asked for.
    left_out: Mapping[str, int] = field(default_factory=dict)


def proof_html(page: ProofPage) -> bytes:
    """The page."""
    results = page.results
    title = f"Proof: {results.docket.model.title}, {results.period.long}"
    parts = [
        f"<header><p class='over'>Proof</p><h1>{escape(results.docket.model.title)}</h1>"
        f"<p class='when'>{escape(results.period.long)} &middot; made {escape(page.made_at)}</p></header>",
        _strip(page), _warnings(page.warnings), _moved(page), _figures(page), _summaries(page),
        _read(page), _checks(results), _outputs(page), _mails(page), _docket(page),
    ]  # fmt: skip
    body = "\n".join(part for part in parts if part)
    return (
        f"<!DOCTYPE html>\n<html lang='{escape(results.house.language.tag)}'><head><meta charset='utf-8'>"
        f"<meta name='viewport' content='width=device-width, initial-scale=1'><title>{escape(title)}</title>"
        f"<style>{STYLE}</style></head><body><main>\n{body}\n</main></body></html>\n"
    ).encode()


# -- pieces ----------------------------------------------------------------------------------------------


def _section(title: str, content: str, note: str = "") -> str:
    says = f"<p class='note'>{escape(note)}</p>" if note else ""
    return f"<section><h2>{escape(title)}</h2>{says}{content}</section>" if content else ""


def _table(headings: Sequence[str], rows: Iterable[Sequence[str]], *, right: Sequence[int] = ()) -> str:
    """A table of cells that are markup already."""

    def cell(tag: str, place: int, content: str) -> str:
        kind = " class='n'" if place in right else ""
        return f"<{tag}{kind}>{content}</{tag}>"

    head = "".join(cell("th", n, escape(text)) for n, text in enumerate(headings))
    body = "".join(f"<tr>{''.join(cell('td', n, text) for n, text in enumerate(row))}</tr>" for row in rows)
    return f"<div class='wide'><table><thead><tr>{head}</tr></thead><tbody>{body}</tbody></table></div>" if body else ""


def _number(house: House, value: Value, kind: str) -> str:
    if value is None:
        return "<span class='none'>&ndash;</span>"
    return escape(texts_in(house.language)(value, house.number_format(kind) if kind else "General"))


def _difference(house: House, change: Change) -> str:
    """The change with its sign; nothing where there is nothing to compare."""
    found = change.difference
    if found is None:
        return ""
    if not found:
        return "<span class='none'>the same</span>"
    sign, kind = ("+", "up") if found > 0 else ("&minus;", "down")
    return f"<span class='{kind}'>{sign}{_number(house, abs(found), change.type)}</span>"


def _percent(house: House, change: Change) -> str:
    if change.share is None or not change.difference:
        return ""
    sign, kind = ("+", "up") if change.share > 0 else ("&minus;", "down")
    return f"<span class='{kind}'>{sign}{_number(house, abs(change.share), 'percent')}</span>"


def _strip(page: ProofPage) -> str:
    """The few numbers that a person looks at first."""
    results = page.results
    held = sum(check.holds for check in results.checks)
    rows = sum(one.table.height for one in results.sources.values())
    files = sum(len(one.files) for one in results.sources.values())
    numbers = (
        (files, "file read", "files read"), (rows, "row", "rows"), (len(page.warnings), "warning", "warnings"),
        (len(page.outputs), "file made", "files made"), (len(page.mails), "mail, not sent", "mails, not sent"),
    )  # fmt: skip
    told = [(f"{number:,}", one if number == 1 else several, "") for number, one, several in numbers]
    told[2] = (*told[2][:2], "bad" if page.warnings else "good")
    checks = f"{held} of {len(results.checks)}", "checks hold", "bad" if held < len(results.checks) else "good"
    told.insert(2, checks)
    return "<ul class='strip'>" + "".join(
        f"<li class='{kind}'><b>{escape(number)}</b><span>{escape(what)}</span></li>" for number, what, kind in told
    ) + "</ul>"  # fmt: skip


def _warnings(warnings: Sequence[Fault]) -> str:
    items = "".join(
        f"<li><b>{escape(one.stopped)}</b>: {escape(one.why)}<small>{escape(one.where)}"
        f"{escape('; ' + one.do) if one.do else ''}</small></li>"
        for one in warnings
    )
    return _section("Warnings", f"<ul class='warn'>{items}</ul>" if items else "")


def _moved(page: ProofPage) -> str:
    if not page.known:
        before = page.results.period.previous.long
        return (
            f"<section><p class='note'>The daybook has no run of {escape(before)}: nothing is compared.</p></section>"
        )
    house = page.results.house
    halves = []
    for title, moved in zip(("by value", "by per cent"), page.moved, strict=True):
        rows = [
            (f"{escape(one.line)}<small>{escape(one.summary.replace('_', ' '))}: {escape(one.change.name)}</small>",
             _number(house, one.change.before, one.change.type), _number(house, one.change.now, one.change.type),
             _difference(house, one.change), _percent(house, one.change), _rows(one))
            for one in moved
        ]  # fmt: skip
        table = _table(["", "before", "now", "change", "%", "from"], rows, right=(1, 2, 3, 4))
        halves.append(f"<h3>{title}</h3>{table}" if table else "")
    return _section("What moved most", "".join(halves))


def _rows(one: Moved) -> str:
    if one.rows is None:
        return ""
    was = "" if one.rows_before is None else f" (before {one.rows_before:,})"
    names = [path.rpartition("/")[2] for path in one.files]
    of = "" if not names else names[0] if len(names) == 1 else counted(len(names), "file")
    return f"{counted(one.rows, 'row')}{was}<small>{escape(of)}</small>"


def _figures(page: ProofPage) -> str:
    house = page.results.house
    rows = [
        (escape(one.name.replace("_", " ")), _number(house, one.before, one.type) if page.known else "",
         _number(house, one.now, one.type), _difference(house, one), _percent(house, one))
        for one in page.figures
    ]  # fmt: skip
    return _section("Figures", _table(["", "before", "now", "change", "%"], rows, right=(1, 2, 3, 4)))


def _summaries(page: ProofPage) -> str:
    """Pivots and statements: the last number of each line beside that before, all of them folded away."""
    house = page.results.house
    found = []
    for one in page.summaries:
        says = []
        if one.new:
            says.append(f"<b class='new'>new:</b> {escape(', '.join(one.new[:20]))}{_more(one.new, 20)}")
        if one.gone:
            says.append(f"<b class='gone'>gone:</b> {escape(', '.join(one.gone[:20]))}{_more(one.gone, 20)}")
        counts = [counted(len(one.lines), "line")]
        counts += [f"{len(keys):,} {word}" for word, keys in (("new", one.new), ("gone", one.gone)) if keys]
        headings, rows = ["", *(f"{heading}" for heading, _ in one.headings)], []
        for label, changes in one.lines[:200]:
            cells = [
                f"{_number(house, change.now, change.type)}<small>{_difference(house, change)}</small>"
                for change in changes
            ]
            rows.append((escape(label), *cells))
        table = _table(headings, rows, right=range(1, len(headings)))
        more = f"<p class='note'>{len(one.lines) - 200:,} more lines</p>" if len(one.lines) > 200 else ""
        keys = f"<p>{'; '.join(says)}</p>" if says else ""
        found.append(
            f"<details{' open' if says else ''}><summary>{escape(one.name.replace('_', ' '))}"
            f"<span>{', '.join(counts)}</span></summary>{keys}{table}{more}</details>"
        )
    note = "Each number with its change since the period before." if page.known else ""
    return _section("Lines", "".join(found), note)


def _more(names: Sequence[str], most: int) -> str:
    return f" and {len(names) - most} more" if len(names) > most else ""


def _read(page: ProofPage) -> str:
    results, house = page.results, page.results.house
    rows = []
    for name, one in results.sources.items():
        totals = "; ".join(
            f"{escape(heading)} {_number(house, total, kind)}" for heading, kind, total in control_totals(one.table)
        )
        files = "".join(
            f"<div>{escape(file.shown)} <span class='none'>{counted(file.rows, 'row')}</span>"
            f"<small>{escape('; '.join(map(str, file.notes)))}</small></div>"
            for file in one.files
        )
        rows.append((f"<b>{escape(name)}</b>", files, f"{one.table.height:,}", totals))
    read = _table(["source", "files", "rows", "control totals"], rows, right=(2,))
    steps = [
        (f"<b>{escape(name)}</b>", f"{results.tables[name].height:,}",
         "".join(f"<div>{escape(step.says)}: {escape(str(note))}</div>" for step in reports for note in step.notes)
         or "<span class='none'>nothing was left out</span>")
        for name, reports in results.steps.items()
    ]  # fmt: skip
    made = _table(["table", "rows", "what its steps left out or changed"], steps, right=(1,))
    return _section("What was read", f"{read}<h3>and made of it</h3>{made}" if made else read)


def _checks(results: Results) -> str:
    rows = [
        ("<b class='good'>holds</b>" if check.holds else f"<b class='bad'>{'stops' if check.stops else 'warns'}</b>",
         escape(check.name.replace("_", " ")), escape(check.formula), escape(check.sides))
        for check in results.checks
    ]  # fmt: skip
    return _section("Checks", _table(["", "check", "what must hold", "found"], rows))


def _outputs(page: ProofPage) -> str:
    """A card for each file, or for a document and its pages; many of one output are folded away."""
    groups: dict[str, dict[Path, list[Made]]] = {}
    for one in page.outputs:
        groups.setdefault(one.name, {}).setdefault(one.path.with_suffix(""), []).append(one)
    pieces, plain = [], []
    for name, cards in groups.items():
        shown = [_card(page, files) for files in cards.values()]
        if len(shown) <= _OPEN:
            plain += shown
            continue
        counts = f"<span>{counted(sum(map(len, cards.values())), 'file')}</span>"
        inside = f"<div class='cards inner'>{''.join(shown)}</div>"
        pieces.append(f"<details><summary>{escape(name)}{counts}</summary>{inside}</details>")
    first = f"<div class='cards'>{''.join(plain)}</div>" if plain else ""
    left = ", ".join(f"{count:,} of {name}" for name, count in page.left_out.items())
    note = f"Only a part of the pack was made; left out: {left}." if left else ""
    return _section("What was made", first + "".join(pieces), note)


def _card(page: ProofPage, files: Sequence[Made]) -> str:
    picture = next((page.pictures[one.path] for one in files if one.path in page.pictures), None)
    shown = "<span class='blank'>no picture</span>"
    if picture is not None:
        content = base64.b64encode(picture).decode()
        shown = f"<img alt='first page of {escape(files[0].path.name)}' src='data:image/png;base64,{content}'>"
    names = "".join(
        f"<a href='{escape(_link(page, one.path))}'>{escape(one.path.name)}</a><small>{escape(one.summary)}</small>"
        for one in files
    )
    return f"<div class='card'><a href='{escape(_link(page, files[-1].path))}'>{shown}</a>{names}</div>"


def _link(page: ProofPage, path: Path) -> str:
    """Where an output lies, seen from the proof's folder."""
    try:
        return quote(path.relative_to(page.folder).as_posix())
    except ValueError:
        return quote(path.name)


def _mails(page: ProofPage) -> str:
    groups: dict[str, list[Mail]] = {}
    for mail in page.mails:
        groups.setdefault(mail.name, []).append(mail)
    return _section("Who gets what", "".join(_mails_of(name, mails) for name, mails in groups.items()))


def _mails_of(name: str, mails: Sequence[Mail]) -> str:
    rows = [
        ("<br>".join(map(escape, mail.to)), escape(mail.subject), "<br>".join(map(escape, mail.attachments)))
        for mail in mails
    ]
    opened = " open" if len(mails) <= _OPEN else ""
    return (
        f"<details{opened}><summary>{escape(name)}<span>{counted(len(mails), 'mail')}</span></summary>"
        f"{_table(['to', 'subject', 'attached'], rows)}</details>"
    )


def _docket(page: ProofPage) -> str:
    if page.docket is None:
        return ""
    if not page.docket:
        return _section("The docket", "<p class='note'>It is the one of the period before.</p>")
    return _section("What changed in the docket", f"<pre>{''.join(_line(line) for line in page.docket)}</pre>")


def _line(text: str) -> str:
    kind = {"+": "new", "-": "gone"}.get(text[:1], "")
    return f"<span class='{kind}'>{escape(text)}</span>\n"
