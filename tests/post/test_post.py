"""Mails in standard form (RFC 5322, RFC 2045): what a reader gets, and what no text can bring in."""

import email
from datetime import UTC, datetime
from email.policy import SMTP, default

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tinquire.post import Attachment, Mail, mail_bytes
from tinquire.post.bodies import BodyStyle, body_html
from tinquire.post.message import parse_address


def mail(**more):
    given = {
        "identity": "<1@larkfold.example>", "sender": parse_address("Linen desk", "desk@larkfold.example"),
        "to": (parse_address("", "ada@depot.example"),), "subject": "October", "body": "Hello,\n\n- one\n- two\n",
        "date": datetime(2026, 11, 3, 17, 45, tzinfo=UTC),
    }  # fmt: skip
    return mail_bytes(Mail(**{**given, **more}))


def read(data):
    return email.message_from_bytes(data, policy=default)


def test_a_mail_is_read_as_it_was_meant():
    attached = (Attachment("Größen 2026.xlsx", b"PK\x03\x04"), Attachment("notes.txt", b"x"))
    cc = (parse_address("Bryn, the second", "bryn@depot.example"),)
    data = mail(
        subject="Łódź – October", cc=cc, reply_to=parse_address("", "box@larkfold.example"), attachments=attached
    )
    message = read(data)
    assert message["Subject"] == "Łódź – October" and message["Date"].datetime == datetime(
        2026, 11, 3, 17, 45, tzinfo=UTC
    )
    assert [one.addr_spec for one in message["Cc"].addresses] == ["bryn@depot.example"]
    assert message["Cc"].addresses[0].display_name == "Bryn, the second"
    assert [part.get_filename() for part in message.iter_attachments()] == ["Größen 2026.xlsx", "notes.txt"]
    kinds = [part.get_content_type() for part in message.iter_attachments()]
    assert kinds == ["application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "application/octet-stream"]
    assert (
        "- one" in message.get_body(("plain",)).get_content()
        and "<li>two</li>" in message.get_body(("html",)).get_content()
    )
    assert b"\r\n" in data and data == mail(
        subject="Łódź – October", cc=cc, reply_to=parse_address("", "box@larkfold.example"), attachments=attached
    )


@pytest.mark.parametrize("size", [0, 1, 2, 56, 57, 58, 114, 115, 5_700])
@pytest.mark.parametrize("names", [("a.csv",), ("b.xlsx", "c.html", "d.txt")])
def test_attachments_stand_in_a_mail_as_it_is_put_together_line_by_line(size, names):
    """Their base64 is what the standard library writes when it is given them whole."""
    contents = [bytes(range(256)) * (size // 256 + 1) for _ in names]
    data = mail(
        attachments=tuple(Attachment(*pair) for pair in zip(names, (one[:size] for one in contents), strict=True))
    )
    message = email.message_from_bytes(data, policy=SMTP)
    for part, content in zip(message.iter_attachments(), contents, strict=True):
        assert part.get_payload(decode=True) == content[:size]
        part.set_payload(None)
        part.clear_content()
        main, sub = part.get_content_type().split("/")
        part.set_content(content[:size], maintype=main, subtype=sub, disposition="attachment", filename="x")
        again = part.get_payload()
        assert again.replace("\n", "\r\n").encode() in data


@pytest.mark.parametrize(
    "address",
    [
        "",
        "ada",
        "ada@",
        "@depot.example",
        "a b@depot.example",
        "ada@depot.example, eve@x.example",
        "ada@depot.example\nBcc: eve@x.example",
        "a..b@depot.example",
        "a" * 400 + "@depot.example",
    ],
)
def test_what_is_no_address_stops(address):
    with pytest.raises(ValueError, match="e-mail address"):
        parse_address("Ada", address)


@given(st.text(max_size=30), st.sampled_from("\r\n\x00\x85\u2028"), st.text(max_size=30))
def test_no_text_brings_in_a_header(before, mark, after):
    text = f"{before}{mark}{after}"
    with pytest.raises(ValueError, match="control"):
        mail(subject=text)
    with pytest.raises(ValueError, match="control"):
        parse_address(text, "ada@depot.example")
    with pytest.raises(ValueError, match="control"):
        mail(attachments=(Attachment(text, b""),))


@given(st.text(max_size=60))
def test_no_text_becomes_markup(text):
    page = body_html(text, BodyStyle(("A Font", "sans-serif"), 9.5, "27343A"))
    assert (
        page.count("<")
        - sum(
            page.count(one)
            for one in (
                "<!DOCTYPE",
                "<html",
                "</html",
                "<body",
                "</body",
                "<p>",
                "</p>",
                "<br>",
                "<ul>",
                "</ul>",
                "<li>",
                "</li>",
            )
        )
        == 0
    )
