"""Open packaging (ECMA-376 Part 2): parts, content types, relationships. Parts that nobody touches stay bytes."""

from __future__ import annotations

import posixpath
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from lxml import etree

from tinquire.base.faults import AccessError, Fault
from tinquire.packages import zip_archive
from tinquire.packages.deflate import Packed, pack
from tinquire.packages.entry_edits import with_entry, without_entries
from tinquire.packages.raw_xml import Unusual
from tinquire.packages.xml import CONTENT_TYPES, PACKAGE_RELATIONS, children, escape_attribute, parse_xml, serialise_xml
from tinquire.packages.zip_archive import Archive

__all__ = ["Outline", "Package", "Relation"]

_TYPES_PART = "[Content_Types].xml"
_RELATION_TYPE = "application/vnd.openxmlformats-package.relationships+xml"


@dataclass(frozen=True, slots=True)
class Relation:
    """One relationship; `target` is a part's name (without a leading slash), or an outside address."""

    id: str
    type: str
    target: str
    outside: bool = False

    @property
    def kind(self) -> str:
        """The last word of the type, the same in transitional and strict files: 'worksheet', 'styles', ..."""
        return self.type.rpartition("/")[2]


@dataclass(frozen=True, slots=True)
class Outline:
    """What stands around the many elements of a large part, and whether these may hold formulas."""

    around: bytes
    formulas: bool


class Package:
    """The parts of a workbook file by name, without leading slash."""

    def __init__(self, source: Archive | None = None, name: str = "") -> None:
        self.name = name
        self._archive = source
        self._members = dict.fromkeys(source.names()) if source else {}
        self._fresh: dict[str, bytes | Packed] = {}
        self._by_folded = {member.casefold(): member for member in self._members}
        #: What is known of parts that lie packed, for those who need not unpack them.
        self._outlines: dict[str, Outline] = {}
        #: Relationships of parts that were asked for, by the part that lists them, until that changes.
        self._relations: dict[str, list[Relation]] = {}
        #: Of which lists two relationships had one id, when they were read last.
        self._doubled: set[str] = set()
        #: Content types by ending and by part (casefolded), once they were asked for, until their list changes.
        self._types: tuple[dict[str, str], dict[str, str]] | None = None

    @classmethod
    def open(cls, path: Path, shown: str | None = None) -> Package:
        """Raises AccessError when the file is missing, unreadable or no workbook package."""
        name = shown or str(path)
        try:
            data = path.read_bytes()
        except OSError as error:
            why = "there is no such file" if isinstance(error, FileNotFoundError) else (error.strerror or str(error))
            raise AccessError(Fault("opening a workbook", why, name, "check its name and place")) from None
        return cls.from_bytes(data, name)

    @classmethod
    def from_bytes(cls, data: bytes, name: str) -> Package:
        """A package by its bytes. Raises AccessError when they are no workbook package."""
        package = cls(Archive(data, name), name)
        if not package.has(_TYPES_PART) and package.has("META-INF/manifest.xml"):
            raise zip_archive.unreadable_error(name, data, "")
        if not package.has(_TYPES_PART):
            why = "it is a zip archive, but not a workbook: it has no list of content types"
            raise AccessError(Fault("opening a workbook", why, name, "save it as .xlsx in the program that made it"))
        return package

    def copy(self) -> Package:
        """The same package, to be changed by itself."""
        fresh = Package(name=self.name)
        fresh._archive, fresh._members, fresh._fresh = self._archive, dict(self._members), dict(self._fresh)
        fresh._by_folded, fresh._relations = dict(self._by_folded), dict(self._relations)
        fresh._outlines, fresh._types, fresh._doubled = dict(self._outlines), self._types, set(self._doubled)
        return fresh

    def is_as(self, other: Package) -> bool:
        """Whether both hold the same parts: what was written to one was written to the other."""
        mine, theirs = self._fresh, other._fresh
        same = self._archive is other._archive and self._members == other._members and len(mine) == len(theirs)
        return same and all(content is theirs.get(name) for name, content in mine.items())

    # -- parts -----------------------------------------------------------------------------------------

    def names(self) -> list[str]:
        return list(self._members)

    def has(self, part: str) -> bool:
        return part.casefold() in self._by_folded

    def _known(self, part: str) -> str:
        """A part's name as it was first written; names differ in case without meaning (Part 2, 6.2.2). Raises
        KeyError."""
        return self._by_folded[part.casefold()]

    def read(self, part: str) -> bytes:
        """A part's content. Raises KeyError, AccessError."""
        known = self._known(part)
        if (fresh := self._fresh.get(known)) is not None:
            return fresh.content() if isinstance(fresh, Packed) else fresh
        if self._archive is None:
            raise KeyError(part)
        return self._archive.read(known)

    def chunks(self, part: str) -> Iterator[bytes]:
        """A part's content as it is unpacked, a megabyte or so at a time. Raises as `read`, also on the way."""
        known = self._known(part)
        if known in self._fresh or self._archive is None:
            return iter((self.read(known),))
        return self._archive.chunks(known)

    def packed_size(self, part: str) -> int:
        """How many bytes a part takes in the file; 0 when it is new or missing."""
        known = self._by_folded.get(part.casefold())
        return 0 if known is None or known in self._fresh or self._archive is None else self._archive.packed_size(known)

    def root(self, part: str) -> etree._Element:
        """A part's parsed root element. Raises AccessError when it is missing or damaged."""
        try:
            return parse_xml(self.read(part))
        except KeyError:
            why = f"its part '{part}' is missing"
        except ValueError as error:
            why = f"its part '{part}' cannot be read: {error}"
        raise AccessError(Fault("opening a workbook", why, self.name, "get the file again from its source"))

    def put(self, part: str, content: bytes) -> None:
        """Write a part again, or add one."""
        known = self._by_folded.setdefault(part.casefold(), part)
        self._members[known] = None
        self._fresh[known] = content
        self._relations.pop(known.casefold(), None)
        if known.casefold() == _TYPES_PART.casefold():
            self._types = None
        self._outlines.pop(known, None)

    def put_pieces(
        self, part: str, pieces: Iterable[bytes], outline: Outline | None = None, *, fast: bool = False
    ) -> None:  # fmt: skip
        """Write a part from its pieces, as they are made. It is kept packed, since it may be large, densely or `fast`;
        `outline` is what is known of it."""
        self.put_packed(part, pack(pieces, fast=fast))
        if outline is not None:
            self._outlines[self._known(part)] = outline

    def outline(self, part: str) -> Outline | None:
        """What is known of a part that was put packed, until it is written again."""
        return self._outlines.get(self._known(part))

    def put_packed(self, part: str, content: Packed) -> None:
        """Write a part whose content is packed already."""
        self.put(part, b"")
        self._fresh[self._known(part)] = content

    def changed(self) -> dict[str, bytes | Packed]:
        """The parts that were written or added since the file was opened."""
        return dict(self._fresh)

    def drop(self, part: str) -> None:
        known = self._by_folded.pop(part.casefold(), None)
        if known:
            del self._members[known]
            self._fresh.pop(known, None)
            self._relations.pop(known.casefold(), None)
            self._outlines.pop(known, None)

    def free_name(self, pattern: str) -> str:
        """The first of `pattern` with 1, 2, 3, ... that is no part yet, nor one that is missing: whoever relates to
        that would get the new one."""
        return self.free_names(pattern, 1)[0]

    def free_names(self, pattern: str, count: int) -> list[str]:
        """The first `count` names that are free."""
        lists = b"\n".join(self.read(member) for member in self._members if member.casefold().endswith(".rels"))
        wanted, number = lists.lower(), 1
        names: list[str] = []
        while len(names) < count:
            name = pattern.format(number)
            if not self.has(name) and posixpath.basename(name).encode().lower() not in wanted:
                names.append(name)
            number += 1
        return names

    # -- content types ---------------------------------------------------------------------------------

    def set_type(self, part: str, content_type: str) -> None:
        """State a part's content type (Part 2, 7.2)."""
        self.set_types({part: content_type})

    def set_types(self, types: Mapping[str, str]) -> None:
        """State the content types of several parts (Part 2, 7.2)."""
        entries = "".join(
            f'<Override PartName="{escape_attribute("/" + part)}" ContentType="{escape_attribute(content_type)}"/>'
            for part, content_type in types.items()
        )
        try:
            listed = self._without(_TYPES_PART, b"Override", b"PartName", [f"/{part}" for part in types])
            self.put(_TYPES_PART, with_entry(listed, b"Types", entries.encode()))
            return
        except Unusual:
            root = self.root(_TYPES_PART)
        known = {item.get("PartName", "").casefold(): item for item in children(root, "Override")}
        for part, content_type in types.items():
            override = known.get(f"/{part}".casefold())
            if override is None:
                override = etree.SubElement(root, f"{{{CONTENT_TYPES}}}Override", PartName=f"/{part}")
            override.set("ContentType", content_type)
        self.put(_TYPES_PART, serialise_xml(root))

    def _without(self, part: str, name: bytes, key: bytes, gone: Iterable[str]) -> bytes:
        """A list without the entries of some parts' names. Raises Unusual."""
        folded = {value.casefold() for value in gone}
        return without_entries(self.read(part), name, key, lambda value: value.casefold() in folded)

    def drop_type(self, part: str) -> None:
        try:
            self.put(_TYPES_PART, self._without(_TYPES_PART, b"Override", b"PartName", [f"/{part}"]))
            return
        except Unusual:
            root = self.root(_TYPES_PART)
        for override in children(root, "Override"):
            if override.get("PartName", "").casefold() == f"/{part}".casefold():
                root.remove(override)
                self.put(_TYPES_PART, serialise_xml(root))

    def types(self) -> dict[str, str]:
        """The content type of every part, stated for it or for its ending (Part 2, 7.2.3)."""
        if self._types is None:
            root = self.root(_TYPES_PART)
            self._types = (
                {item.get("Extension", "").casefold(): _type(item) for item in children(root, "Default")},
                {item.get("PartName", "").lstrip("/").casefold(): _type(item) for item in children(root, "Override")},
            )
        endings, stated = self._types
        return {
            part: stated.get(part.casefold()) or endings.get(part.rpartition(".")[2].casefold(), "")
            for part in self._members
        }

    def type_of(self, part: str) -> str:
        """A part's content type; '' where none is stated. Raises KeyError for a part that is not there."""
        return self.types()[self._known(part)]

    def drop_tree(self, part: str) -> None:
        """Take out a part, and all that only it relates to; what others relate to stays."""
        below = [relation.target for relation in self.relations(part) if not relation.outside]
        self.drop_type(part)
        self.drop(part)
        self.drop(_relations_part(part))
        for target in dict.fromkeys(below):
            if self.has(target) and next(self._relating_to(target), None) is None:
                self.drop_tree(target)

    def _relating_to(self, part: str) -> Iterator[str]:
        """The other parts that relate to a part."""
        wanted = part.casefold()
        for member in list(self._members):
            if not member.casefold().endswith(".rels"):
                continue
            folder, name = posixpath.split(member)
            source = posixpath.join(posixpath.dirname(folder), name[: -len(".rels")])
            if source.casefold() != wanted and any(
                relation.target.casefold() == wanted for relation in self.relations(source) if not relation.outside
            ):
                yield source

    def drop_related(self, target: str, kind: str) -> None:
        """Drop all relationships of a kind to a part, and with them the part and what only it relates to; a part that
        others relate to as something else stays."""
        for source in list(self._relating_to(target)):
            self.unrelate(source, target, kind)
        if self.has(target) and next(self._relating_to(target), None) is None:
            self.drop_tree(target)

    def start(self) -> None:
        """Give a new package its first part."""
        root = etree.Element(f"{{{CONTENT_TYPES}}}Types", nsmap={None: CONTENT_TYPES})  # type: ignore[dict-item]
        for extension, kind in (("rels", _RELATION_TYPE), ("xml", "application/xml")):
            etree.SubElement(root, f"{{{CONTENT_TYPES}}}Default", Extension=extension, ContentType=kind)
        self.put(_TYPES_PART, serialise_xml(root))

    # -- relationships ---------------------------------------------------------------------------------

    def relations(self, part: str = "") -> list[Relation]:
        """The relationships of a part; of the package itself when no part is named. Raises AccessError, also for two
        of one id: which of them is meant, nobody knows."""
        every = self.listed_relations(part)
        if _relations_key(part) not in self._doubled:
            return every
        found = {relation.id: relation for relation in every}
        if len(found) < len(every):
            other = next((relation for relation in every if found[relation.id] != relation), None)
            if other is not None:
                why = f"of the relationships of '{part or 'the package'}' two have the id '{other.id}'"
                raise AccessError(Fault("opening a workbook", why, self.name, "get the file again from its source"))
        return list(found.values())

    def listed_relations(self, part: str = "") -> list[Relation]:
        """The relationships of a part as they are listed. Raises AccessError."""
        rels, key = _relations_part(part), _relations_key(part)
        if (cached := self._relations.get(key)) is not None:
            return list(cached)
        if not self.has(rels):
            return []
        folder = posixpath.dirname(part)
        found = []
        for element in children(self.root(rels), "Relationship"):
            outside = element.get("TargetMode") == "External"
            target = element.get("Target", "")
            if not outside:
                target = _resolve(folder, target)
            found.append(Relation(element.get("Id", ""), element.get("Type", ""), target, outside))
        self._relations[key] = found
        if len({relation.id for relation in found}) < len(found):
            self._doubled.add(key)
        return list(found)

    def relate(self, part: str, kind: str, target: str) -> str:
        """Add a relationship of a part (or of the package) to another, and return its id."""
        return self.relate_all(part, [(kind, target)])[0]

    def relate_all(self, part: str, relations: Sequence[tuple[str, str]], *, outside: bool = False) -> list[str]:
        """Add relationships of a part, each by its kind and target, and return their ids; the targets of those that
        lead outside are written as they are."""
        if not relations:
            return []
        rels, root = self._relationships(part)
        used = {element.get("Id") for element in root}
        # A part may name a relationship that is not there: a new one under that name would be taken for it.
        content = self.read(part) if part and self.has(part) else b""
        ids: list[str] = []
        number = 1
        while len(ids) < len(relations):
            name = f"rId{number}"
            if name not in used and f'"{name}"'.encode() not in content and f"'{name}'".encode() not in content:
                ids.append(name)
            number += 1
        folder = posixpath.dirname(part) or "."
        mode = ' TargetMode="External"' if outside else ""
        entries = "".join(
            f'<Relationship Id="{name}" Type="{escape_attribute(kind)}" '
            f'Target="{escape_attribute(target if outside else posixpath.relpath(target, folder))}"{mode}/>'
            for name, (kind, target) in zip(ids, relations, strict=True)
        )
        try:
            before = self.read(rels) if self.has(rels) else b""
            self.put(rels, with_entry(before, b"Relationships", entries.encode()))
        except Unusual:
            root.extend(etree.fromstring(f'<r xmlns="{PACKAGE_RELATIONS}">{entries}</r>'))
            self.put(rels, serialise_xml(root))
        return ids

    def _relationships(self, part: str) -> tuple[str, etree._Element]:
        """The name and root of a part's relationships, a new root when it has none yet."""
        rels = _relations_part(part)
        if self.has(rels):
            return rels, self.root(rels)
        return rels, etree.Element(
            f"{{{PACKAGE_RELATIONS}}}Relationships",
            nsmap={None: PACKAGE_RELATIONS},  # type: ignore[dict-item]
        )

    def relate_as(self, part: str, like: Relation, target: str) -> None:
        """Give a part a relationship with the id and type of another part's."""
        rels, root = self._relationships(part)
        relative = target if like.outside else posixpath.relpath(target, posixpath.dirname(part) or ".")
        element = etree.SubElement(root, f"{{{PACKAGE_RELATIONS}}}Relationship", Id=like.id, Type=like.type)
        element.set("Target", relative)
        if like.outside:
            element.set("TargetMode", "External")
        self.put(rels, serialise_xml(root))

    def retarget(self, part: str, relation: Relation, target: str) -> None:
        """Let a relationship that leads outside lead elsewhere."""
        rels, root = self._relationships(part)
        for element in children(root, "Relationship"):
            if element.get("Id") == relation.id:
                element.set("Target", target)
        self.put(rels, serialise_xml(root))

    def unrelate(self, part: str, target: str, kind: str | None = None) -> None:
        """Drop the relationships of a part to another, all or those of a kind."""
        rels, folder = _relations_part(part), posixpath.dirname(part)
        mixed = kind is not None and any(
            relation.kind != kind and relation.target.casefold() == target.casefold()
            for relation in self.listed_relations(part)
        )
        try:
            if mixed:  # more than their targets tells them apart
                raise Unusual
            listed = self.read(rels)
            wanted = target.casefold()
            self.put(
                rels,
                without_entries(
                    listed, b"Relationship", b"Target", lambda to: _resolve(folder, to).casefold() == wanted
                ),
            )
            return
        except Unusual:
            root = self.root(rels)
        for element in children(root, "Relationship"):
            same_kind = not mixed or element.get("Type", "").rpartition("/")[2] == kind
            if same_kind and _resolve(folder, element.get("Target", "")).casefold() == target.casefold():
                root.remove(element)
        self.put(rels, serialise_xml(root))

    # -- saving ----------------------------------------------------------------------------------------

    def to_bytes(self) -> bytes:
        """The whole file: unchanged members as they lay, changed ones compressed again, in the order known."""
        return zip_archive.write_archive({name: self._fresh.get(name) for name in self._members}, self._archive)


def _type(item: etree._Element) -> str:
    return item.get("ContentType", "")


@lru_cache(1 << 10)
def _relations_part(part: str) -> str:
    folder, name = posixpath.split(part)
    return posixpath.join(folder, "_rels", f"{name}.rels")


@lru_cache(1 << 10)
def _relations_key(part: str) -> str:
    return _relations_part(part).casefold()


def _resolve(folder: str, target: str) -> str:
    """A relationship's target as a part name: absolute or relative to its source's folder (Part 2, 6.5.2)."""
    if target.startswith("/"):
        return posixpath.normpath(target).lstrip("/")
    return posixpath.normpath(posixpath.join("/", folder, target)).lstrip("/")
