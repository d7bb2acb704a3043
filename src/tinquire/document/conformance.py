"""Whether a word-processing document is sound: what ECMA-376 asks of WordprocessingML, checked on the raw parts."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import pairwise

from lxml import etree

from tinquire.document.letter import Letter, kind_of
from tinquire.document.looks import value
from tinquire.packages.package import Package
from tinquire.packages.xml import child, children, local
from tinquire.workbook.inspect.conformance import Finding, conformance_findings

__all__ = ["letter_findings"]

_OFFICE = "/relationships}"
#: The order in which elements have what they have (Part 1, Annex A.1); what is not named here may stand anywhere.
_ORDER: dict[str, Sequence[str]] = {
    name: order.split()
    for name, order in {
        "pPr": (
            "pStyle keepNext keepLines pageBreakBefore framePr widowControl numPr suppressLineNumbers pBdr shd tabs "
            "suppressAutoHyphens kinsoku wordWrap overflowPunct topLinePunct autoSpaceDE autoSpaceDN bidi "
            "adjustRightInd snapToGrid spacing ind contextualSpacing mirrorIndents suppressOverlap jc textDirection "
            "textAlignment textboxTightWrap outlineLvl divId cnfStyle rPr sectPr pPrChange"
        ),
        "tblPr": (
            "tblStyle tblpPr tblOverlap bidiVisual tblStyleRowBandSize tblStyleColBandSize tblW jc tblCellSpacing "
            "tblInd tblBorders shd tblLayout tblCellMar tblLook tblCaption tblDescription tblPrChange"
        ),
        "tcPr": (
            "cnfStyle tcW gridSpan hMerge vMerge tcBorders shd noWrap tcMar textDirection tcFitText vAlign hideMark "
            "headers"
        ),
        "sectPr": (
            "headerReference footerReference footnotePr endnotePr type pgSz pgMar paperSrc pgBorders lnNumType "
            "pgNumType cols formProt vAlign noEndnote titlePg textDirection bidi rtlGutter docGrid printerSettings"
        ),
        "style": (
            "name aliases basedOn next link autoRedefine hidden uiPriority semiHidden unhideWhenUsed qFormat locked "
            "personal personalCompose personalReply rsid pPr rPr tblPr trPr tcPr tblStylePr"
        ),
        "lvl": "start numFmt lvlRestart pStyle isLgl suff lvlText lvlPicBulletId legacy lvlJc pPr rPr",
        "numbering": "numPicBullet abstractNum num numIdMacAtCleanup",
        "tbl": "tblPr tblGrid tr",
        "tr": "tblPrEx trPr tc",
        "p": "pPr r",
        "r": "rPr t",
        "body": "p sectPr",
    }.items()
}
#: Where one of several may stand at a place, what they count as.
_ALIKE = {"footerReference": "headerReference"}
_STYLES = {"pStyle": "paragraph", "rStyle": "character", "tblStyle": "table"}


def letter_findings(package: Package) -> list[Finding]:
    """All that was found in a package that is a word-processing document, part by part."""
    return conformance_findings(package, _letter)


def _letter(package: Package) -> Iterator[Finding]:
    letter = Letter(package)
    by_kind = {one.kind: one.target for one in package.relations(letter.part) if package.has(one.target)}
    styles = _known(package, by_kind.get("styles"), "style", "styleId", "type")
    lists = _known(package, by_kind.get("numbering"), "num", "numId", "numId")
    notes = {
        kind: _known(package, by_kind.get(f"{kind}s"), kind, "id", "id") for kind in ("footnote", "endnote")
    }  # fmt: skip
    parts = [part for part, _ in letter.stories()]
    for part in (*parts, *(by_kind[kind] for kind in ("styles", "numbering") if kind in by_kind)):
        root = package.root(part)
        yield from _order(part, root)
        yield from _references(package, part, root)
        yield from _names(part, root, styles, lists, notes)
        yield from _cells(part, root)
        yield from _pairs(part, root)


def _known(package: Package, part: str | None, name: str, identity: str, about: str) -> dict[str, str]:
    """Elements of a part by their ids, with what else is asked of them."""
    if part is None:
        return {}
    return {value(one, identity) or "": value(one, about) or "" for one in children(package.root(part), name)}


def _order(part: str, root: etree._Element) -> Iterator[Finding]:
    for element in root.iter():
        order = _ORDER.get(kind_of(element))
        if order is None:
            continue
        places = {name: place for place, name in enumerate(order)}
        names = [_ALIKE.get(name, name) for one in element if (name := kind_of(one)) in places]
        for one, other in pairwise(names):
            if places[one] > places[other]:
                yield Finding(part, f"elements out of order in {local(element)}: '{other}' stands after '{one}'")
                break


def _references(package: Package, part: str, root: etree._Element) -> Iterator[Finding]:
    """Relationships that are named exist, and are of the kind that the element asks for."""
    relations = {one.id: one for one in package.relations(part)}
    for element in root.iter():
        for key, text in element.items() if isinstance(element.tag, str) else ():
            named, kind = str(text), local(element).removesuffix("Reference")
            if _OFFICE not in str(key) or str(key).rpartition("}")[2] not in ("id", "embed", "link", "pict"):
                continue
            if named not in relations:
                yield Finding(part, f"a relationship is named that is not there: '{named}' in {local(element)}")
            elif kind in ("header", "footer") and relations[named].kind != kind:
                yield Finding(part, f"a {kind} is named that is none: '{named}'")


def _names(
    part: str, root: etree._Element, styles: dict[str, str], lists: dict[str, str], notes: dict[str, dict[str, str]]
) -> Iterator[Finding]:  # fmt: skip
    """Styles, lists and notes that are named exist."""
    for element in root.iter():
        name = kind_of(element)
        named = value(element) or ""
        if (kind := _STYLES.get(name)) is not None and styles.get(named) != kind:
            yield Finding(part, f"a {kind} style is named that is not there: '{named}'")
        elif name == "numId" and named != "0" and named not in lists:
            yield Finding(part, f"a list is named that is not there: '{named}'")
        elif name in ("footnoteReference", "endnoteReference"):
            known = notes[name.removesuffix("Reference")]
            if (value(element, "id") or "") not in known:
                yield Finding(part, f"a note is named that is not there: '{value(element, 'id')}'")


def _cells(part: str, root: etree._Element) -> Iterator[Finding]:
    """A cell ends with a paragraph (17.4.65), and a table has rows."""
    for element in root.iter():
        if kind_of(element) == "tc" and (not len(element) or kind_of(element[-1]) != "p"):
            yield Finding(part, "a cell does not end with a paragraph")
        elif kind_of(element) == "tbl" and child(element, "tblPr") is None:
            yield Finding(part, "a table has no properties")


def _pairs(part: str, root: etree._Element) -> Iterator[Finding]:
    """Fields that begin end; ids of bookmarks and drawings come once."""
    depth = 0
    ids: Counter[tuple[str, str]] = Counter()
    for element in root.iter():
        name = kind_of(element)
        if name == "fldChar":
            depth += {"begin": 1, "end": -1}.get(value(element, "fldCharType") or "", 0)
            if depth < 0:
                yield Finding(part, "a field ends that has not begun")
                depth = 0
        elif name == "bookmarkStart":
            ids["bookmarks", value(element, "id") or ""] += 1
        elif name == "docPr":
            ids["drawings", element.get("id", "")] += 1
    if depth:
        yield Finding(part, "a field does not end")
    for (kind, identity), count in ids.items():
        if count > 1:
            yield Finding(part, f"{count} {kind} have one id: '{identity}'")
