"""The encoding of a text: stated, marked by its first bytes, UTF-8 where it can be, or told by its letters."""

from __future__ import annotations

import re
import unicodedata
from itertools import islice

from tinquire.base.faults import DataError, Fault

__all__ = ["UTF8_MARK", "in_utf8", "marked_encoding"]

#: The byte-order mark that some programs put before UTF-8.
UTF8_MARK = b"\xef\xbb\xbf"
#: By its first bytes; the longer marks first.
_MARKS = {
    b"\xff\xfe\0\0": "utf-32", b"\0\0\xfe\xff": "utf-32",
    b"\xff\xfe": "utf-16", b"\xfe\xff": "utf-16", UTF8_MARK: "utf-8",
}  # fmt: skip
#: Text that has this many bytes of UTF-8's longer characters before an invalid one is UTF-8 that is broken.
_UTF8_BYTES = 4
#: What offices' programs write when it is not Unicode. The order decides where letters do not: most files are Western.
_USUAL = (
    "cp1252", "cp1250", "cp1251", "cp1253", "cp1254", "cp1255", "cp1256", "cp1257",
    "shift_jis", "gb18030", "big5", "euc_kr", "euc_jp", "koi8_r", "cp850", "mac_roman",
)  # fmt: skip
#: So many bytes of lines that are not ASCII tell it.
_TOLD_BY = 1 << 14
#: This much more mess in one reading than in another means nothing; this many accented letters in a row are odd.
_MESS, _RUN = 0.03, 5
_BEYOND_ASCII = re.compile(rb"[\x80-\xff]")
#: Words that show how letters were read: the longest of the first ones is shown.
_WORDS = 20
_BETWEEN_WORDS = re.compile(r"[\s;,|\"]+")


def in_utf8(data: bytes, stated: str | None, shown: str) -> tuple[bytes, str, str]:
    """A text in UTF-8, the encoding that it was in, and where that was guessed a word that shows how it was read.

    Raises: DataError when it is not in the encoding that was stated, or when none can be told.
    """
    if stated is not None:
        try:
            return data.decode(stated).encode(), stated, ""
        except (UnicodeError, LookupError) as error:
            why = f"it is not {stated}: {error}"
            raise DataError(Fault("reading delimited text", why, shown, "state the encoding it is in")) from None
    marked = marked_encoding(data)
    if marked in (None, "utf-8") and _is_utf8(data, shown):
        return data, "utf-8", ""
    sample = b"" if marked else _sample(data)
    for encoding in [marked] if marked else _likely(sample):
        decoded = _decode(data, encoding)
        if decoded is not None:
            words = (word for word in _BETWEEN_WORDS.split(sample.decode(encoding, "replace")) if not word.isascii())
            return decoded.encode(), encoding, max(islice(words, _WORDS), key=len, default="")
    raise DataError(
        Fault(
            "reading delimited text",
            "its encoding cannot be told",
            shown,
            'state it: encoding = "..."',
            option="state it: --encoding ...",
        )
    )


def marked_encoding(data: bytes) -> str | None:
    """The encoding that a text's first bytes say it is in."""
    return next((encoding for mark, encoding in _MARKS.items() if data.startswith(mark)), None)


def _is_utf8(data: bytes, shown: str) -> bool:
    """Whether a text is UTF-8. Raises DataError when it is, but for a place where it is broken or cut off."""
    if data.isascii():
        return True
    try:
        data.decode()
    except UnicodeDecodeError as error:
        longer = error.start - len(data[: error.start].decode())
        if longer < _UTF8_BYTES and not data.startswith(UTF8_MARK):
            return False
        line = data.count(b"\n", 0, error.start) + 1
        why = f"it is UTF-8 up to byte {error.start + 1:,}, where it is broken or cut off"
        do = 'ask for the file again, or state what it is: encoding = "..."'
        raise DataError(Fault("reading delimited text", why, f"{shown}, line {line}", do)) from None
    return True


def _decode(data: bytes, encoding: str) -> str | None:
    try:
        return data.decode(encoding)
    except UnicodeDecodeError:
        return None


def _sample(data: bytes) -> bytes:
    """Some lines that are not ASCII; of a very long one as much as ends after a separator."""
    sample = b""
    end = 0
    while len(sample) < _TOLD_BY and (found := _BEYOND_ASCII.search(data, end)):
        start = max(data.rfind(b"\n", end, found.start()) + 1, end, found.start() - _TOLD_BY)
        end = data.find(b"\n", found.start()) + 1 or len(data)
        line = data[start : min(end, found.start() + _TOLD_BY)]
        if start + len(line) < end:
            line = line[: max(map(line.rfind, (b";", b",", b"\t", b" ", b"|"))) + 1]
        sample += line.rstrip(b"\r\n") + b"\n"
    return sample


def _likely(sample: bytes) -> list[str]:
    """Encodings in which a text's letters make sense, the likeliest first."""
    from charset_normalizer import from_bytes

    texts = {name: sample.decode(name, "ignore") for name in _USUAL}
    odd = {name: _oddness(text) for name, text in texts.items() if text.encode(name, "ignore") == sample}
    good = [name for name in _USUAL if odd.get(name, 1.0) <= min(odd.values(), default=0.0) + _MESS]
    mess: dict[str, float] = {}
    for match in from_bytes(sample, cp_isolation=list(_USUAL)):
        mess |= dict.fromkeys(match.could_be_from_charset, match.chaos)
    western = mess.get(_USUAL[0], 0.0) <= min(mess.values(), default=0.0) + _MESS
    return sorted(good, key=lambda name: (name != _USUAL[0] or not western, mess.get(name, 1.0)))


def _oddness(text: str) -> float:
    """The share of a text's signs outside of ASCII that stand where none would: within a word but no letter of its
    script, large after small ones, or as letters of a Latin script many in a row."""
    seen = odd = run = 0
    for before, sign, behind in zip(" " + text, text, text[1:] + " ", strict=False):
        latin = False
        if not sign.isascii():
            seen += 1
            if sign.isalpha():
                latin = unicodedata.name(sign, "").startswith("LATIN")
                beside = (before + behind).encode("ascii", "ignore").decode()
                odd += (sign.isupper() and before.islower()) if latin else any(map(str.isalpha, beside))
            elif not unicodedata.category(sign).startswith("M"):
                within = before.isalpha() and behind.isalpha() and sign != "\u2019"
                odd += within or unicodedata.category(sign).startswith("C")
        run = run + 1 if latin else 0
        odd += run >= _RUN
    return odd / max(seen, 1)
