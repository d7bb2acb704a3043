"""An outbox given to a real server that refuses, is busy, or hangs up: nobody gets a mail twice, and all is told."""

import json

import pytest

from press.test_delivery import answering
from tinquire.post.delivery import headers_of, recipients
from tinquire.press.send import _named

LIST = "Name,Address\nAda,ada@north.example\nBob,bob@north.example\nCy,cy@south.example\n"
DOCKET = """
title = "Notes"
period = "month"
sources.list.file = "list.csv"
[mails.notes]
each = "list"
from = "Desk <desk@larkfold.example>"
to = "[:Name:] <[:Address:]>"
{mail}
subject = "Note of [:period.long:]"
body = "Dear [:Name:]"
[post]
{post}
"""


@pytest.fixture
def job(tmp_path, tinquire):
    def made(mail="", post="", run=True):
        (tmp_path / "list.csv").write_text(LIST, "utf-8")
        (tmp_path / "d.toml").write_text(DOCKET.format(mail=mail, post=post), "utf-8")
        return tinquire("run", tmp_path / "d.toml", "-p", "2026-10") if run else None

    made.send = lambda server, *more: tinquire(
        "send", tmp_path / "d.toml", "-p", "2026-10", "--server", f"{server.host}:{server.port}", "--json", *more
    )
    return made


def sent_to(said):
    return [mail["to"][0].partition("@")[0] for mail in json.loads(said.out)["sent"]]


def test_one_that_is_refused_does_not_hold_up_the_others(job):
    job()
    with answering(rcpt={"bob@north.example": "550 unknown"}) as (handler, server):
        said = job.send(server)
        assert said.code == 3 and sent_to(said) == ["ada", "cy"] and "550 unknown" in said.err
        handler.rcpt.clear()
        said = job.send(server)
        assert said.code == 0 and sent_to(said) == ["bob"], "only who has not got it"
        assert len(handler.kept) == 3


def test_an_answer_that_was_lost_is_held_back_and_said(job):
    job()
    with answering(data=["250 ok", "250 kept, and hangs up"]) as (handler, server):
        said = job.send(server)
        assert said.code == 3 and sent_to(said) == ["ada"]
        assert "was given the mail and did not answer" in said.err and "use --again" in said.err
        said = job.send(server)
        assert said.code == 1 and sent_to(said) == ["cy"] and "so it may have been sent" in said.err
        assert len(handler.kept) == 3, "nobody got one twice"


def test_a_hidden_recipient_gets_each_mail(job):
    job(mail='bcc = "book@larkfold.example"')
    with answering() as (handler, server):
        assert job.send(server).code == 0
        assert all(to[-1] == "book@larkfold.example" and b"book@" not in content for to, content in handler.kept)


def test_a_look_goes_to_one_address_and_is_not_recorded(job):
    job()
    with answering() as (handler, server):
        for _ in range(2):
            assert job.send(server, "--to-me", "me@larkfold.example").code == 0
        assert {tuple(to) for to, _ in handler.kept} == {("me@larkfold.example",)} and len(handler.kept) == 6
        assert len(sent_to(job.send(server))) == 3
        assert job.send(server, "--to-me", "nobody").code == 2


def test_files_that_a_list_names(tmp_path, tinquire):
    (tmp_path / "list.csv").write_text("Name,Address,Files\nAda,a@b.example,notes/one.txt ; two.txt\nBo,b@b.example,\n")
    (tmp_path / "notes").mkdir()
    for name in ("notes/one.txt", "two.txt"):
        (tmp_path / name).write_text(name)
    path = tmp_path / "docket.toml"
    path.write_text(DOCKET.format(mail='attach_from = "Files"', post="server = 'x'"))
    assert tinquire("run", path, "-p", "2026-10").code == 0
    listed = json.loads(tinquire("send", path, "-p", "2026-10", "--list", "--json").out)
    assert [one["attached"] for one in listed] == [["one.txt", "two.txt"], []]
    for files, why in (
        ("../x.txt", "leads out of the job's folder"),
        ("three.txt", "neither an output of this docket nor a file"),
    ):
        (tmp_path / "list.csv").write_text(f"Name,Address,Files\nAda,a@b.example,{files}\n")
        said = tinquire("run", path, "-p", "2026-10")
        assert said.code == 1 and why in said.err and "list.csv, row 2" in said.err


WRONG = [
    ({"post": 'domains = ["north.example"]'}, "'cy@south.example' is in none of the domains allowed (north.example)"),
    ({"mail": 'attach = ["list.csv"]', "post": "most_megabytes = 0.00001"}, "MB, and 1e-05 are allowed"),
    ({"mail": 'bcc = "nobody"'}, "'nobody' is not an e-mail address"),
]


@pytest.mark.parametrize(("words", "why"), WRONG)
def test_what_may_not_leave_stops_the_run(job, words, why):
    said = job(**words)
    assert said.code == 1 and why in said.err


def test_a_mail_put_by_hand_to_another_domain_is_not_sent(job):
    job()
    job(post='domains = ["north.example"]', run=False)
    with answering() as (handler, server):
        said = job.send(server)
        assert (
            said.code == 1 and "'cy@south.example' is in none of the domains allowed" in said.err and not handler.kept
        )


# -- folders -------------------------------------------------------------------------------------------------

FOLDERS = """
title = "Bags"
period = "month"
sources.bags.file = "list.csv"
[workbooks.pack]
name = "Bags [:period:].xlsx"
sheets = [{{ name = "Bags", table = "bags" }}]
[deliveries.share]
folder = "{folder}"
files = ["pack", "proof"]
names = {{ pack = "Latest.xlsx" }}
{more}
"""


@pytest.fixture
def share(tmp_path, tinquire):
    """A job that delivers into a folder, which is there; what `send` does, with words to be said."""
    (tmp_path / "share").mkdir()

    def made(rows=LIST, folder=tmp_path / "share/[:period:]", more="", run=True):
        (tmp_path / "job").mkdir(exist_ok=True)
        (tmp_path / "job/list.csv").write_text(rows, "utf-8")
        (tmp_path / "job/d.toml").write_text(FOLDERS.format(folder=folder, more=more), "utf-8")
        if run:
            assert tinquire("run", tmp_path / "job/d.toml", "-p", "2026-10").code == 0

    made.send = lambda *words: tinquire("send", tmp_path / "job/d.toml", "-p", "2026-10", *words)
    made.there = lambda: {path.name: path.read_bytes() for path in (tmp_path / "share").rglob("*") if path.is_file()}
    made.place = tmp_path / "share/2026-10"
    return made


def test_files_are_delivered_once_and_replaced_only_when_it_is_said(share, tmp_path):
    share()
    assert [word in share.send("--list").out for word in ("ready", "Latest.xlsx", "Proof 2026-10.html")] == [True] * 3
    assert not share.there()
    said = share.send()
    pack = (tmp_path / "job/out/2026-10/Bags 2026-10.xlsx").read_bytes()
    assert said.code == 0 and share.there()["Latest.xlsx"] == pack and len(share.there()) == 2
    assert "before" in share.send().out
    share(rows=LIST + "Di,di@north.example\n")
    said = share.send()
    assert said.code == 1 and "a file of another content was delivered there" in said.err and "use --again" in said.err
    assert share.there()["Latest.xlsx"] == pack, "all of it or nothing"
    assert share.send("--again").code == 0 and share.there()["Latest.xlsx"] != pack
    (share.place / "Latest.xlsx").unlink()
    assert share.send().code == 0 and "Latest.xlsx" in share.there(), "what was taken away is put there again"


def test_what_stands_in_the_way_or_is_not_there_is_said(share, tmp_path):
    share()
    share.place.mkdir()
    (share.place / "Latest.xlsx").write_text("somebody's")
    said = share.send()
    assert said.code == 1 and "another file of this name stands there" in said.err and len(share.there()) == 1
    (tmp_path / "job/out/2026-10/Bags 2026-10.xlsx").write_text("changed")
    assert "is not what the latest run made" in share.send().err
    share(folder=tmp_path / "gone/[:period:]/x")
    said = share.send()
    assert said.code == 3 and "mount the share" in said.err and not (tmp_path / "gone").exists()
    share(more='[deliveries.other]\nfolder = "x"\nfiles = ["pakc"]', run=False)
    assert "deliveries.other takes 'pakc'" in share.send().err
    share(more='[deliveries.other]\nfolder = "x"\nfiles = ["pack"]\nnames = { proof = "p" }', run=False)
    assert "names has 'proof', which is not among the files" in share.send().err


HEADS = [
    b"Message-ID: <a@b>\r\nFrom: Desk <us@b.example>\r\nTo: Ada <a@b.example>,\r\n \"Lind, Bo\" <b@b.example>\r\nSubject: one\r\n two\r\n",
    b"From: us@b.example\nTo: a@b.example\nCC: c@b.example, a@b.example\nBcc: d@b.example\nMESSAGE-ID:<x>\nSubject: :-)\n",
    b"Message-ID: <a@b>\r\nFrom: =?utf-8?q?B=C3=BCro?= <us@b.example>\r\nTo: =?utf-8?q?A=2C_B?= <a@b.example>\r\nSubject: =?utf-8?b?xIBi?=\r\n",
    b"From: us@b.example\r\nTo: a@b.example\r\nTo: b@b.example\r\nMessage-ID: <a>\r\nSubject: s\r\n",
    b"From: us@b.example\r\nSubject: nobody\r\nMessage-ID: <a>\r\n",
]  # fmt: skip


@pytest.mark.parametrize("head", HEADS)
def test_the_quick_look_at_a_head_sees_what_the_slow_one_does(head):
    data = head + b"\r\nTo: not@b.example\r\n\r\ntext"
    message = headers_of(data)
    slow = (
        str(message["Message-ID"]),
        recipients(message, ("From",))[0],
        tuple(recipients(message)),
        str(message["Subject"]),
    )
    assert _named(data) == slow
