"""An HTML page in the form that mail programs show: each element with its own style, pictures below their sheet, and
nothing that needs a script, a style sheet or a place of its own."""

from __future__ import annotations

import re
from collections.abc import Iterator

from lxml import etree, html

__all__ = ["mail_form"]

_RULE = re.compile(r"([^{}@]+)\{([^{}]*)\}")
#: What mail programs leave out, or show badly.
_DROPPED = {
    "position",
    "left",
    "top",
    "box-shadow",
    "box-sizing",
    "overflow",
    "letter-spacing",
    "table-layout",
    "float",
}
_WIDE, _HIGH = "width", "height"


def mail_form(page: str) -> str:
    """A page of ours, whose rules name elements and classes alone, with these rules in each element."""
    root = html.document_fromstring(page)
    rules = list(_rules("\n".join(style.text or "" for style in root.iter("style"))))
    etree.strip_elements(root, "style", with_tail=False)
    for element in root.iter():
        if not isinstance(element.tag, str):
            continue
        classes = set(element.get("class", "").split())
        found: dict[str, str] = {}
        for tag, name, declarations in rules:
            if (not tag or tag == element.tag) and (not name or name in classes):
                found |= declarations
        found |= _declarations(element.get("style", ""))
        kept = {key: value for key, value in found.items() if key not in _DROPPED}
        for key in {"class", "style"} & set(element.attrib):
            del element.attrib[key]
        if "frame" in classes or (element.getparent() is not None and element.tag == "img"):
            _place(element, kept)
        if kept:
            element.set("style", "; ".join(f"{key}: {value}" for key, value in kept.items()))
    return "<!DOCTYPE html>\n" + etree.tostring(root, encoding="unicode", method="html") + "\n"


def _place(element: etree._Element, kept: dict[str, str]) -> None:
    """A frame stands below its sheet in its own size; its picture says how large it is."""
    if element.tag == "img":
        parent = element.getparent()
        sizes = _declarations("" if parent is None else parent.get("style", ""))
        for name in (_WIDE, _HIGH):
            kept.pop(name, None)
            if (size := sizes.get(name, "")).endswith("px"):
                element.set(name, size.removesuffix("px"))
    else:
        kept["margin"] = "12px 0 0"


def _rules(css: str) -> Iterator[tuple[str, str, dict[str, str]]]:
    """Element, class and declarations of each plain rule; those for print, and within others, are left out."""
    css = re.sub(r"@media[^{]*\{(?:[^{}]*\{[^{}]*\})*[^{}]*\}", "", css)
    for selectors, declarations in _RULE.findall(css):
        for selector in selectors.split(","):
            words = selector.split()
            if words:
                tag, _, name = words[-1].partition(".")
                yield tag, name, _declarations(declarations)


def _declarations(text: str) -> dict[str, str]:
    pairs = (piece.partition(":") for piece in text.split(";"))
    return {name.strip(): value.strip() for name, mark, value in pairs if mark}
