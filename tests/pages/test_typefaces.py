"""Faces: widths one by one and all at once, stand-ins as wide as what they stand for, letters that a face lacks."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tinquire.looks.known_fonts import DIGITS, known_widths
from tinquire.pages.lettering import Letters, lines_of
from tinquire.pages.typefaces import Typefaces, find_face

FACES = Typefaces()
TEXTS = st.text(st.one_of(st.sampled_from("abc XYZ019.,-£é漢字✓"), st.characters(codec="utf-8")), max_size=12)


@given(st.lists(TEXTS, max_size=30), st.sampled_from([("Verdana", False), ("Calibri", True), ("No Such Font", False)]))
def test_many_widths_at_once_are_those_one_by_one(texts, font):
    face = FACES.of(*font)
    assert face.widths(texts).tolist() == pytest.approx([face.width(text) for text in texts], abs=1e-9)


@pytest.mark.parametrize("family", sorted(DIGITS))
def test_stand_ins_are_as_wide_as_what_they_stand_for(family):
    """Digits are as wide as those of the font that is not there, to a hundredth of their width."""
    face = FACES.of(family)
    assert face.width("0123456789") == pytest.approx(10 * DIGITS[family], rel=0.02)


def test_letters_of_known_width():
    face = FACES.of("Calibri")
    if find_face("Calibri", False, False) is None:
        known = known_widths("Calibri", False)
        assert face.width("Hamburg") == pytest.approx(sum(known[ord(letter)] for letter in "Hamburg"))


def test_bold_and_italic_faces():
    plain, bold, italic = FACES.of("DejaVu Sans"), FACES.of("DejaVu Sans", True), FACES.of("DejaVu Sans", False, True)
    assert len({face.face.path.name for face in (plain, bold, italic)}) == 3
    assert bold.width("Total") > plain.width("Total")


def test_a_text_in_pieces_by_face():
    faces = Typefaces()
    face = faces.of("Liberation Sans" if find_face("Liberation Sans", False, False) else "DejaVu Serif")
    assert [run.text for run in face.runs("plain")] == ["plain"]
    mixed = face.runs("a\U0001f5f8b")
    assert "".join(run.text for run in mixed) == "a\U0001f5f8b" and sum(run.width for run in mixed) == pytest.approx(
        face.width("a\U0001f5f8b")
    )
    assert [run.text for run in face.runs("zero\u200bwidth")] in (["zerowidth"], ["zero\u200bwidth"])


def test_letters_that_no_font_has_are_told_once():
    faces = Typefaces()
    face = faces.of("DejaVu Sans")
    face.runs("a\U000e0041b"), face.runs("c\U000e0041")
    told = [note for note in faces.notes() if "no font" in note]
    assert told == ["no font on this machine has \U000e0041 (U+E0041)"]


def test_what_stands_in_is_told_once():
    faces = Typefaces()
    for _ in range(3):
        faces.of("No Such Font"), faces.of("No Such Font", True)
    (note,) = faces.notes()
    assert note.startswith("font 'No Such Font' is not on this machine: '") and note.endswith("' stands in for it")
    assert list(Typefaces().notes()) == []


# -- lines -----------------------------------------------------------------------------------------------

LETTERS = Letters(FACES.of("DejaVu Sans"), 10.0, "000000")
BROKEN = [
    # text, room, lines
    ("one line", 200, ["one line"]),
    ("two words", 30, ["two", "words"]),
    ("its own\nends of\n\nlines", 200, ["its own", "ends of", "", "lines"]),
    ("a-long-hyphened-word", 56, ["a-long-", "hyphened-", "word"]),
    ("unbreakableword", 40, ["unbrea", "kablew", "ord"]),
    ("trailing   ", 200, ["trailing   "]),
    ("several   blanks between", 60, ["several", "blanks", "between"]),
    # How wide these letters are depends on the fonts that the machine has.
    ("漢字漢字漢字", 2.5 * LETTERS.width("漢"), ["漢字", "漢字", "漢字"]),
    ("", 50, [""]),
]


@pytest.mark.parametrize(("text", "room", "lines"), BROKEN)
def test_texts_break(text, room, lines):
    assert [line.text.rstrip() if len(lines) > 1 else line.text for line in lines_of([(text, LETTERS)], room)] == lines


@given(st.lists(TEXTS.filter(lambda text: "\r" not in text), min_size=1, max_size=4), st.floats(15, 200))
def test_nothing_is_lost_and_no_line_is_too_wide(texts, room):
    other = Letters(FACES.of("DejaVu Sans", True), 14.0, "FF0000")
    runs = [(text, other if number % 2 else LETTERS) for number, text in enumerate(texts)]
    lines = lines_of(runs, room)
    whole, kept = "".join("".join(texts).split()), "".join("".join(line.text for line in lines).split())
    assert kept == whole
    for line in lines:
        trailing = (
            line.pieces[-1].letters.width(line.text) - line.pieces[-1].letters.width(line.text.rstrip())
            if line.pieces
            else 0.0
        )
        assert line.width - trailing <= room + 0.01 or len(line.text.strip()) <= 1
        assert line.width == pytest.approx(sum(piece.width for piece in line.pieces))


@given(TEXTS)
def test_without_room_lines_end_where_the_text_says(text):
    assert [line.text for line in lines_of([(text, LETTERS)], None)] == text.split("\n")


def test_raised_and_lowered_letters():
    raised, lowered = LETTERS.scripted("superscript"), LETTERS.scripted("subscript")
    assert raised.raised > 0 > lowered.raised and raised.size == lowered.size < LETTERS.size
    assert LETTERS.scripted(None) is LETTERS
