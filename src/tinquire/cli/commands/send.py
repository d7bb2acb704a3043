"""tinquire send: give the outbox to the mail server, each mail at most once."""

from __future__ import annotations

import argparse
from functools import partial
from pathlib import Path
from typing import Any

from tinquire.base.faults import AccessError, DataError, Fault, UseError
from tinquire.base.wording import counted
from tinquire.cli.commands.run import short_path
from tinquire.cli.support import options as shared
from tinquire.cli.support.passwords import password_of
from tinquire.cli.support.terminal import Terminal

EXAMPLE = "tinquire send docket.toml --period 2026-10 --list"
#: More mails than these are counted, not named.
_TOLD = 8


def add_arguments(parser: argparse.ArgumentParser) -> None:
    shared.add_docket(parser)
    parser.add_argument("--list", action="store_true", help="list what would be sent, and send nothing")
    parser.add_argument("--server", metavar="HOST:PORT", help="another server than the docket's")
    parser.add_argument(
        "--to-me", metavar="ADDRESS", help="for a look: send all mails to this address alone; the daybook keeps nothing"
    )
    parser.add_argument(
        "--to-drafts", action="store_true", help="put the mails among drafts, from where a person sends them"
    )
    parser.add_argument("--again", action="store_true", help="also send mails that were sent before")
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.docket import load_docket, parse_period

    docket = load_docket(options.docket)
    period = parse_period(options.period, docket.model.period)
    if options.to_drafts:
        return _to_drafts(docket, period, terminal, again=options.again)
    server = mail_server(docket.model.post, options.server)
    if options.to_me is not None:
        return _for_a_look(docket, period, server, options.to_me, terminal)
    faults: list[Fault] = []
    answer: Any = [] if options.list else {}
    told = {"again": options.again, "only_list": options.list}
    if docket.model.mails or not docket.model.deliveries:
        report, answer = send_outbox(docket, period, server, terminal, **told)
        faults += () if report is None else (*report.refused, *report.held)
    code = AccessError.exit_code if faults and report.refused else 0
    if docket.model.deliveries:
        delivered, more = deliver_files(docket, period, terminal, **told)
        faults += () if delivered is None else delivered.held
        answer = [*answer, *more] if options.list else {**answer, "delivered": more}
    for fault in faults:  # the answer for programs has them already
        terminal.fault(fault)
    terminal.answer(answer)
    return code or (DataError.exit_code if faults else 0)


def send_outbox(
    docket: Any, period: Any, server: Any, terminal: Terminal, *, again: bool = False, only_list: bool = False
) -> tuple[Any, Any]:
    """Send or list the outbox, and say what happened to each mail; what came of it, and what programs are told."""
    from tinquire.press.proof.approval import require_approval
    from tinquire.press.send import require_domains, send

    mails = _outbox(docket, period, terminal)
    require_domains(mails, docket.model.post.domains, docket.where("post", "domains"))
    if not only_list:
        require_approval(docket, period, [mail.path for mail in mails])
    if only_list:
        rows = [[_state(mail), ", ".join(mail.to), mail.subject, ", ".join(mail.attachments)] for mail in mails]
        terminal.table(["", "to", "subject", "attached"], rows)
        return None, [{"to": m.to, "subject": m.subject, "attached": m.attachments, "state": _state(m)} for m in mails]
    report = send(mails, server, docket.base, period.text, shared.clock, again=again, progress=terminal.progress)
    for label, group in (("sent", report.sent), ("before", report.before)):
        for number, mail in enumerate(group[:_TOLD]):
            terminal.line(label if number == 0 else "", f"{', '.join(mail.to)}: {mail.subject}")
        if len(group) > _TOLD:
            terminal.line("", f"and {len(group) - _TOLD} more mails: send --list names them all")
    if report.sent:
        terminal.line("", f"by {server}")
    elif report.before and not report.held and not report.refused:
        terminal.line("result", "nothing was sent: all of these were sent before")
    return report, {
        "sent": [{"to": mail.to, "subject": mail.subject} for mail in report.sent],
        "before": [{"to": mail.to, "subject": mail.subject} for mail in report.before],
        "held": [fault.as_dict() for fault in report.held],
        "refused": [fault.as_dict() for fault in report.refused],
    }


def deliver_files(
    docket: Any, period: Any, terminal: Terminal, *, again: bool = False, only_list: bool = False
) -> tuple[Any, list[Any]]:
    """Put the docket's deliveries where they belong, or list them; and what programs are told."""
    from tinquire.press.deliver import deliver, parcels
    from tinquire.press.proof.approval import require_approval

    shared.settle_folder(docket.base, terminal)
    passwords = partial(_delivery_password, only_list)
    asked = parcels(docket, period, _period_slots(docket, period), passwords)
    if only_list:
        states = ["delivered" if one.done else "ready" for one in asked]
        rows = [[state, one.source.name, one.shown] for state, one in zip(states, asked, strict=True)]
        terminal.table(["", "file", "goes to"], rows)
        return None, [
            {"delivery": one.delivery, "file": str(one.source), "to": one.shown, "state": state}
            for state, one in zip(states, asked, strict=True)
        ]
    require_approval(docket, period, ())
    report = deliver(asked, docket.base, period.text, shared.clock, again=again)
    for label, group in (("delivered", report.done), ("before", report.before)):
        for number, one in enumerate(group[:_TOLD]):
            terminal.line(label if number == 0 else "", one.shown if one.server else short_path(Path(one.target)))
        if len(group) > _TOLD:
            terminal.line("", f"and {len(group) - _TOLD} more files: send --list names them all")
    return report, [{"delivery": one.delivery, "to": one.shown} for one in report.done]


def _outbox(docket: Any, period: Any, terminal: Terminal) -> Any:
    """The mails of a period, once what a run left half done is settled."""
    from tinquire.press.send import outgoing
    from tinquire.slots.slots import fill_text

    folder, unfilled = fill_text(docket.model.outbox, _period_slots(docket, period).resolve)
    if unfilled:
        raise UseError(
            Fault("finding the outbox", unfilled[0].why, docket.where("outbox"), "use the period's slots only")
        )
    shared.settle_folder(docket.base, terminal)
    return outgoing(docket.base / folder, docket.base)


def _period_slots(docket: Any, period: Any) -> Any:
    """The slots of a period alone: figures belong to a run, and none is made for sending."""
    from tinquire.docket.house import load_house
    from tinquire.press.compute.slot_scope import SlotScope

    house = load_house(docket.base / docket.model.style if docket.model.style else None)
    return SlotScope(house, period.values(house.language))


def _for_a_look(docket: Any, period: Any, server: Any, address: str, terminal: Terminal) -> int:
    """All mails to one address, as often as wanted."""
    from tinquire.post.delivery import session, to_one
    from tinquire.post.message import parse_address

    try:
        parse_address("", address)
    except ValueError as error:
        raise UseError(Fault("reading --to-me", str(error), do="write it like ada@northgate.example")) from None
    mails = _outbox(docket, period, terminal)
    with session(server) as line:
        for number, mail in enumerate(mails, start=1):
            terminal.progress("sending", number, len(mails))
            line.send(to_one(mail.path.read_bytes(), address), shared.clock())
    terminal.line("sent", f"{counted(len(mails), 'mail')} to {address} alone, by {server}; nobody else got any")
    terminal.answer({"to_me": address, "mails": len(mails)})
    return 0


def _state(mail: Any) -> str:
    if mail.known is None:
        return "ready"
    if mail.known.state == "drafted":
        return "among drafts"
    if mail.known.state != "sent":
        return "broke off"
    return "sent" if mail.known.same else "sent with other content"


def mail_server(post: Any, given: str | None) -> Any:
    """The docket's server, or the one given; its password from where it is kept. Raises UseError, AccessError."""
    from tinquire.post import MailServer

    if given is not None:
        host, _, port = given.rpartition(":")
        if not host or not port.isdecimal() or not 0 < int(port) < 65536:
            raise UseError(Fault("reading --server", f"'{given}' is not a server", do="write it like mail.example:587"))
        where = host, int(port)
    else:
        where = post.server, post.port
    password = password_of(post, "logging in to the mail server", "[post]")
    return MailServer(*where, post.security, post.user, password, post.password_in_clear, post.pause)


def _delivery_password(only_list: bool, login: Any, section: str) -> str | None:
    """To list what would go, no password is needed."""
    return None if only_list else password_of(login, "logging in to the file server", section)


def _to_drafts(docket: Any, period: Any, terminal: Terminal, *, again: bool) -> int:
    """The outbox put among drafts, each mail at most once."""
    from tinquire.post import MailServer
    from tinquire.post.drafts import add_to_mailbox, draft_folder
    from tinquire.press.proof.approval import require_approval
    from tinquire.press.send import require_domains, to_drafts

    model = docket.model.drafts
    if model.file is None and model.server is None:
        do = 'write [drafts] with file = "drafts/[:period:].mbox", or a server'
        raise UseError(Fault("putting mails among drafts", "the docket names no place for them", docket.path.name, do))
    mails = _outbox(docket, period, terminal)
    require_domains(mails, docket.model.post.domains, docket.where("post", "domains"))
    require_approval(docket, period, [mail.path for mail in mails])
    put = partial(to_drafts, mails, docket.base, period.text, shared.clock, again=again, progress=terminal.progress)
    if model.file is not None:
        where = docket.where("drafts", "file")
        path = docket.base / _period_slots(docket, period).filled(model.file, "naming the drafts", where)
        place = short_path(path)
        report = put(lambda group: add_to_mailbox(path, group, shared.clock()), at_once=True)
    else:
        password = password_of(model, "logging in to the drafts", "[drafts]")
        server = MailServer(model.server, model.port, model.security, model.user, password, model.password_in_clear)
        place = f"'{model.folder}' of {server}"
        with draft_folder(server, model.folder) as folder:
            report = put(lambda group: folder.add(group[0], shared.clock()), at_once=False)
    terminal.line("drafted", f"{counted(len(report.sent), 'mail')}, in {place}")
    if report.before:
        terminal.line("before", f"{counted(len(report.before), 'mail')} had been put there")
    for fault in report.held:
        terminal.fault(fault)
    terminal.answer({
        "drafted": [{"to": mail.to, "subject": mail.subject} for mail in report.sent],
        "before": len(report.before), "held": [fault.as_dict() for fault in report.held], "place": place,
    })  # fmt: skip
    return DataError.exit_code if report.held else 0
