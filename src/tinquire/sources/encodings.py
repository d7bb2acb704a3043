"""The encoding of a text: stated, marked by its first bytes, UTF-8 where it can be, or told by its letters."""

from __future__ import annotations

import re
from itertools import islice

from tinquire.faults import DataError, Fault

__all__ = ["UTF8_MARK", "in_utf8"]

#: The byte-order mark that some programs put in front of UTF-8.
UTF8_MARK = b"\xef\xbb\xbf"
_MARKS = ((b"\xff\xfe\0\0", "utf-32"), (b"\0\0\xfe\xff", "utf-32"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16"))
#: What offices' programs write when it is not Unicode. The order decides where letters do not: most files are Western.
_USUAL = (
    "cp1252", "cp1250", "cp1251", "cp1253", "cp1254", "cp1255", "cp1256", "cp1257",
    "shift_jis", "gb18030", "big5", "euc_kr", "euc_jp", "koi8_r", "cp850", "mac_roman",
)  # fmt: skip
#: So many bytes of lines that are not ASCII tell it; that much more mess in one reading than in another is none.
_TOLD_BY = 1 << 14
_MESS = 0.02
_LINE = re.compile(rb"[^\r\n]*[\x80-\xff][^\r\n]*")
#: Words that show how letters were read: the longest of the first ones is shown.
_WORDS = 20
_WORD = re.compile(r"[^\s;,|\"]*[^\x00-\x7f][^\s;,|\"]*")


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
    if data.isascii() or data.startswith(UTF8_MARK) or _decoded(data, "utf-8") is not None:
        return data, "utf-8", ""
    marked = next((encoding for mark, encoding in _MARKS if data.startswith(mark)), None)
    for encoding in [marked] if marked else _likely(data):
        decoded = _decoded(data, encoding)
        if decoded is not None:
            words = [] if marked else [found[0] for found in islice(_WORD.finditer(decoded), _WORDS)]
            return decoded.encode(), encoding, max(words, key=len, default="")
    raise DataError(Fault("reading delimited text", "its encoding cannot be told", shown, 'state it: encoding = "..."'))


def _decoded(data: bytes, encoding: str) -> str | None:
    try:
        return data.decode(encoding)
    except UnicodeDecodeError:
        return None


def _likely(data: bytes) -> list[str]:
    """Encodings in which a text's letters make sense, the likeliest first."""
    from charset_normalizer import from_bytes

    lines, size = [], 0
    for line in _LINE.finditer(data):
        lines.append(line[0])
        size += len(line[0])
        if size > _TOLD_BY:
            break
    matches = list(from_bytes(b"\n".join(lines), cp_isolation=list(_USUAL)))
    least = min((match.chaos for match in matches), default=0.0)
    good = {name for match in matches if match.chaos <= least + _MESS for name in match.could_be_from_charset}
    return [encoding for encoding in _USUAL if encoding in good]
