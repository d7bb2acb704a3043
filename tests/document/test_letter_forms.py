"""Letters from a template that is read once: byte for byte what the plain way gives, whatever fills them."""

from hypothesis import given
from hypothesis import strategies as st

from letterparts import FRAME, PICTURES, letter_bytes, paragraph, png, scope, table
from tinquire.base.faults import DataError
from tinquire.cells import CellError, Column
from tinquire.document import Letter
from tinquire.document.filling import fill_letter
from tinquire.document.forms import Forms
from tinquire.document.pictures import fill_letter_pictures
from tinquire.tables import Field, Table

MARK = '<w:bookmarkStart w:id="3" w:name="m"/><w:bookmarkEnd w:id="3"/>'
BLOCKS = [
    *(paragraph(text, cut=cut) for cut in (0, 3) for text in ("Dear [:Name:],", " [:Name:]", "[:total as money:] of 100 %", "[:Name as upper:]", "[:Name:][:month:][:Name:]", "[:Name:][:Name:]")),
    paragraph("[:only if total > 1:]much"), paragraph("[:only if total > 1:]") + table(["a", "[:Name:]"]),
    table(["Item", "Charge"], ["[:lines.Item:]", "[:lines.Charge as money:]"], ["All", "[:SUM(lines[Charge]) as 0.0:]"], cut=2),
    table(["[:lines.Item:] [:lines.Charge*2:]", "[:month:]"]), paragraph("[:lines.Item:]", numbered=True),
    paragraph("[:for each lines:]") + paragraph("[:Item:]: [:total:]") + paragraph("[:if none:]") + paragraph("none") + paragraph("[:end:]"),
    paragraph("[:for each depots:]") + paragraph("[:Depot:]") + table(["[:lines.Item:]"]) + paragraph("[:end:]"),
    paragraph("[:for each lines:]") + paragraph("[:only if [Charge] > 2:][:Item:]") + paragraph("[:end:]"),
    paragraph("[:for each lines:]") + MARK + paragraph("[:Item:]") + paragraph("[:end:]"), FRAME, paragraph("[:nobody:]"),
]  # fmt: skip
TEXTS = st.sampled_from(
    ["Quayside & Co", "Quay 7, east", "", " outer ", "a\nb", "100 %", '<w:br/> "x"', "[:total:]", "ü", "x\x01"]
)
NUMBERS = st.sampled_from([0.0, 1.5, 1234.5])
ROWS = st.lists(st.tuples(TEXTS, NUMBERS), max_size=3)


def outcome(made):
    try:
        letter, done = made()
    except (DataError, ValueError) as error:
        return str(error)
    return letter.to_bytes(), done.slots, done.notes


@given(
    st.lists(st.sampled_from(BLOCKS[:-1]), min_size=1, max_size=4) | st.lists(st.sampled_from(BLOCKS), min_size=1, max_size=3),
    st.lists(st.tuples(TEXTS, NUMBERS, ROWS, st.integers(0, 11), st.sampled_from(PICTURES), TEXTS), min_size=2, max_size=4),
)  # fmt: skip
def test_a_form_gives_the_bytes_of_the_plain_way(blocks, letters):
    links = {"link": "https://example.org/?of=[:Name:]"}
    data = letter_bytes(
        "".join(blocks),
        header=paragraph("To [:Name:]"),
        links=links,
        extra={"media/image1.png": ("image", png((2, 2)))},
    )
    forms = Forms(Letter.from_bytes(data, "l.docx"))
    for name, total, rows, count, picture, alt in letters:
        depots = Table("depots", (Field("Depot"),), (Column.from_values(["H", "U"][: count % 3]),))

        def source(found, picture=picture, alt=alt):
            return None if picture is None else (picture, alt)

        def plain(own, source=source):
            letter = Letter.from_bytes(data, "l.docx")
            done = fill_letter(letter, own, "filling")
            fill_letter_pictures(letter, source)
            return letter, done

        fill = (name, total, rows, depots, count // 3)
        assert outcome(lambda fill=fill, source=source: forms.fill(scope(*fill), source, "filling")) == outcome(
            lambda fill=fill, plain=plain: plain(scope(*fill))
        )


def test_most_letters_come_from_a_form():
    """The test above would hold as well if every letter were filled the plain way."""
    forms = Forms(Letter.from_bytes(letter_bytes("".join(BLOCKS[:15]) + BLOCKS[17]), "l.docx"))
    none = Table("depots", (Field("Depot"),), (Column.from_values([]),))
    for number in range(5):
        forms.fill(scope(f"Name {number}", 5.0, [("a", 1.0)] * (number + 1), none), lambda _: None, "filling")
    assert len(forms._forms) == 1 and forms._more
    outcomes = {outcome(lambda total=total: forms.fill(scope("n", total, [], none), lambda _: None, "f"))[0] for total in (1.0, 2.0)}  # fmt: skip
    assert len(outcomes) == 2 and len(forms._forms) == 3


def test_a_value_that_looks_like_a_slot_is_not_filled_again():
    letter = Letter.from_bytes(letter_bytes(table(["[:lines.Item:]"])), "l.docx")
    fill_letter(letter, scope("n", 1.0, [("[:Name:]", 1.0)], Table("depots", (), ())), "filling")
    assert b"[:Name:]" in letter.package.read("word/document.xml")


def test_an_error_in_a_column_is_told():
    forms = Forms(Letter.from_bytes(letter_bytes(table(["[:lines.Charge:]"])), "l.docx"))
    for charge in (1.0, CellError.NA):
        own = scope("n", 1.0, [("a", charge)], Table("depots", (), ()))
        found = outcome(lambda own=own: forms.fill(own, lambda _: None, "filling"))
    assert "#N/A" in found
