"""`Workbook`: a package with its sheets, styles, texts, tables and names; what is not changed is not written again."""

from __future__ import annotations

from collections.abc import Iterator
from copy import deepcopy
from functools import partial
from pathlib import Path

from lxml import etree

from tinquire.base.atomic_files import open_atomic
from tinquire.base.faults import AccessError, DataError, Fault
from tinquire.base.twins import twin
from tinquire.base.wording import known_names
from tinquire.packages.entry_edits import with_recalculation
from tinquire.packages.package import Package
from tinquire.packages.raw_xml import Unusual
from tinquire.packages.xml import (
    MAIN,
    RELATIONS,
    child,
    children,
    free_number,
    insert_child,
    local,
    parse_xml,
    serialise_xml,
    tag,
)
from tinquire.workbook.grid.sheet import Sheet, SheetTable
from tinquire.workbook.grid.sheet_entries import SheetEntry, entry_of, may_hold_formulas, require_distinct
from tinquire.workbook.grid.sheet_names import MAX_SHEET_NAME, valid_sheet_name
from tinquire.workbook.new_sheet import CONTENT_TYPE as _CONTENT
from tinquire.workbook.new_sheet import add_frames, put_new_sheet
from tinquire.workbook.parts.book_part import WORKBOOK_ORDER, date_system_of, iteration_of
from tinquire.workbook.parts.defined_names import add_name, defined_names
from tinquire.workbook.parts.shared_strings import SharedStrings
from tinquire.workbook.parts.styles import StyleBook, theme_colours
from tinquire.workbook.parts.tables import read_table
from tinquire.workbook.sheet_xml.changed_part import put_rewritten, with_changed_cells
from tinquire.workbook.sheet_xml.frame_changes import with_frame
from tinquire.workbook.sheet_xml.reader import read_sheet
from tinquire.workbook.sheet_xml.shared_masters import mark_members
from tinquire.workbook.sheet_xml.writer import filter_area, print_area, print_titles

__all__ = ["SheetEntry", "Workbook"]

_NEW_WORKBOOK = (
    f'<workbook xmlns="{MAIN}" xmlns:r="{RELATIONS}"><bookViews><workbookView/></bookViews><sheets/></workbook>'
)


class Workbook:
    """A workbook opened from a file, or a new one."""

    def __init__(self, package: Package, part: str) -> None:
        self.package = package
        self._part = part
        self._root, self._is_shared = package.root(part), False
        relations = {relation.id: relation for relation in package.relations(part)}
        by_kind = {relation.kind: relation.target for relation in relations.values() if not relation.outside}
        self._by_kind = by_kind
        self.date_system = date_system_of(self._root)
        #: Once it was asked for, as the only item.
        self._iteration: tuple[tuple[int, float] | None] | None = None
        self._strings: SharedStrings | None = None
        self._styles: StyleBook | None = None
        self.entries: list[SheetEntry] = []
        for sheet in children(child(self._root, "sheets"), "sheet"):
            identity = next((str(value) for key, value in sheet.attrib.items() if str(key).endswith("}id")), "")
            relation = relations.get(identity)
            self.entries.append(
                SheetEntry(
                    sheet.get("name", ""),
                    relation.target if relation else None,
                    relation.kind if relation else "missing",
                    sheet.get("state", "visible"),
                )
            )
        used = {entry.kind for entry in self.entries}
        require_distinct(self.entries, {part for kind, part in by_kind.items() if kind not in used}, package.name)
        self.names = defined_names(self._root, [entry.name for entry in self.entries])
        self._tables: dict[str, list[SheetTable]] = {}
        self._table_ids: list[str | None] = []
        self._chain_is_stale = False
        #: What was worked out of this workbook, or of one that it is a copy of, for who can tell that it still holds.
        self.worked_out: dict[type, object] = {}

    # -- making ----------------------------------------------------------------------------------------

    @classmethod
    def open(cls, path: Path | str, shown: str | None = None) -> Workbook:
        """Read a workbook's frame; sheets are read when asked for. `shown` is the name that messages use.

        Raises: AccessError for files that are missing, damaged or no workbooks.
        """
        return cls._of(Package.open(Path(path), shown))

    @classmethod
    def from_bytes(cls, data: bytes, name: str) -> Workbook:
        """A workbook by its bytes; `name` is what messages call it. Raises as `open`."""
        return cls._of(Package.from_bytes(data, name))

    @classmethod
    def _of(cls, package: Package) -> Workbook:
        """The workbook in a package. Raises AccessError when there is none."""
        main = next((r.target for r in package.relations() if r.kind == "officeDocument"), None)
        if main is None or not package.has(main):
            why = "it is a package of another kind: it names no main part"
            raise AccessError(Fault("opening a workbook", why, package.name, "check that it is a workbook"))
        root = package.root(main)
        if local(root) != "workbook":
            why = f"it is an office document of another kind ('{local(root)}'), not a workbook"
            raise AccessError(Fault("opening a workbook", why, package.name, "check that it is a workbook"))
        return cls(package, main)

    @classmethod
    def new(cls, font: str = "Verdana", size: float = 10.0) -> Workbook:
        """A workbook without sheets; its plain font is the one given."""
        package = Package()
        package.start()
        part = "xl/workbook.xml"
        package.put(part, serialise_xml(parse_xml(_NEW_WORKBOOK.encode())))
        package.set_type(part, f"{_CONTENT}sheet.main+xml")
        package.relate("", f"{RELATIONS}/officeDocument", part)
        book = cls(package, part)
        book._styles = StyleBook.empty(font, size)
        return book

    def copy(self) -> Workbook:
        """The same workbook, to be changed by itself. Raises ValueError for one whose styles were changed."""
        if self._styles is not None and self._styles.changed:
            raise ValueError("its styles were changed and not written")
        fresh = twin(self)
        # The root is one for all copies until one of them may change it.
        self._is_shared = fresh._is_shared = True
        fresh.package, fresh._by_kind = self.package.copy(), dict(self._by_kind)
        fresh._strings = None if self._strings is None else self._strings.copy()
        fresh._styles = None  # they are read when they are asked for
        fresh._tables = {part: list(tables) for part, tables in self._tables.items()}
        fresh.names, fresh._table_ids = list(self.names), list(self._table_ids)
        fresh.entries = [entry.copy() for entry in self.entries]
        return fresh

    def become(self, other: Workbook) -> None:
        """Be a copy of another workbook."""
        self.__dict__.update(other.copy().__dict__)

    def is_as(self, other: Workbook) -> bool:
        """Whether it is as another one, of which it is a copy, with nothing done to either since."""
        written = all(entry.is_written() for entry in self.entries)
        if not written or (self._styles is not None and self._styles.changed):
            return False
        return not (self._strings is not None and self._strings.changed) and self.package.is_as(other.package)

    # -- reading ---------------------------------------------------------------------------------------

    @property
    def name(self) -> str:
        return self.package.name

    @property
    def strings_part(self) -> str | None:
        """The part of the shared texts, if the file has one."""
        return self._part_of("sharedStrings")

    @property
    def connections_part(self) -> str | None:
        """The part of the queries to elsewhere (18.13.2), if the file has one."""
        return self._part_of("connections")

    def _part_of(self, kind: str) -> str | None:
        part = self._by_kind.get(kind)
        return part if part is not None and self.package.has(part) else None

    @property
    def strings(self) -> SharedStrings:
        if self._strings is None:
            part = self.strings_part
            try:
                self._strings = SharedStrings(self.package.read(part) if part else None)
            except ValueError as error:
                why = f"its part '{part}' cannot be read: {error}"
                raise AccessError(Fault("opening a workbook", why, self.name, "get the file again")) from None
        return self._strings

    @property
    def iteration(self) -> tuple[int, float] | None:
        """How the workbook wants rings of formulas to be run, as `iteration_of` tells."""
        if self._iteration is None:
            self._iteration = (iteration_of(self._root),)
        return self._iteration[0]

    def shared_part(self) -> bytes:
        """The bytes of the shared texts; none when there is no such part."""
        part = self.strings_part
        return self.package.read(part) if part else b""

    @property
    def styles(self) -> StyleBook:
        if self._styles is None:
            if part := self._part_of("styles"):
                self._styles = StyleBook(self.package.root(part), self.theme)
            else:
                self._styles = StyleBook.empty()
                self._styles.changed = False  # what nobody uses is not written
        return self._styles

    @property
    def theme(self) -> list[str]:
        """The colours of the theme, in the order of the attribute of that name; none without one."""
        theme = self._part_of("theme")
        return theme_colours(self.package.root(theme)) if theme else []

    def sheet_names(self, *, kind: str = "worksheet") -> list[str]:
        return [entry.name for entry in self.entries if entry.kind == kind]

    def entry(self, name: str) -> SheetEntry | None:
        """The position of a sheet, by its name without regard to case."""
        return entry_of(self.entries, name)

    def sheet(self, name: str) -> Sheet:
        """A sheet with its cells, read at the first call. Raises DataError when it does not exist."""
        entry = self.entry(name)
        if entry is None or entry.kind != "worksheet":
            why = f"it has no sheet '{name}': {known_names(name, self.sheet_names())}"
            raise DataError(Fault("opening a sheet", why, self.name, "check the sheet's name"))
        if entry.loaded is None:
            if entry.part is None or not self.package.has(entry.part):
                why = f"the part of sheet '{entry.name}' is missing"
                raise AccessError(Fault("opening a workbook", why, self.name, "get the file again"))
            chunks = partial(self.package.chunks, entry.part)
            entry.loaded = read_sheet(entry.name, chunks, self.strings.texts, self.date_system, self.name)
            entry.loaded.state, entry.loaded.loaded = entry.state, True
            entry.frame = entry.loaded.frame()
        if entry.part is not None and not entry.loaded.tables:  # not read yet, or a part of theirs has changed
            known = self._tables.get(entry.part)
            entry.loaded.tables = self._tables_of(entry) if known is None else known
        return entry.loaded

    def sheets(self) -> Iterator[Sheet]:
        """All worksheets, in order."""
        for name in self.sheet_names():
            yield self.sheet(name)

    def tables(self) -> dict[str, tuple[str, SheetTable]]:
        """All tables by casefolded name, with the sheet each stands on; reads no cells."""
        found: dict[str, tuple[str, SheetTable]] = {}
        for entry in self.entries:
            for table in self._tables_of(entry):
                found.setdefault(table.name.casefold(), (entry.name, table))
        return found

    def first_sheet(self) -> str:
        """The name of the first sheet of cells. Raises DataError when there is none."""
        if not (names := self.sheet_names()):
            raise DataError(Fault("opening a workbook", "it has no sheet of cells", self.name, "get the file again"))
        return names[0]

    def next_table_id(self) -> int:
        """An identifier that no table of the workbook has (18.5.1.2)."""
        if not self._table_ids:
            parts = {part for part, kind in self.package.types().items() if kind.endswith("ml.table+xml")}
            parts |= {part for entry in self.entries for part in self.table_parts(entry.name)}
            self._table_ids = [self.package.root(part).get("id") for part in sorted(parts) if self.package.has(part)]
        number = free_number(self._table_ids)
        self._table_ids = [str(number)]
        return number

    def table_parts(self, sheet: str) -> list[str]:
        """The parts of a sheet's tables; none for a sheet that was not saved yet."""
        entry = self.entry(sheet)
        if entry is None or entry.part is None:
            return []
        return [relation.target for relation in self.package.relations(entry.part) if relation.kind == "table"]

    def _tables_of(self, entry: SheetEntry) -> list[SheetTable]:
        if entry.loaded is not None and entry.loaded.tables:
            return entry.loaded.tables
        if entry.part is None or entry.kind != "worksheet":
            return []
        if entry.part not in self._tables:
            try:
                parts = self.table_parts(entry.name)
                self._tables[entry.part] = [read_table(self.package.root(part)) for part in parts]
            except ValueError as error:
                fault = Fault("opening a workbook", f"a table of sheet '{entry.name}' is damaged: {error}", self.name)
                raise AccessError(fault) from None
        return self._tables[entry.part]

    # -- changing --------------------------------------------------------------------------------------

    def add_sheet(self, sheet: Sheet) -> None:
        """Put a new sheet after the others. Raises DataError when its name is taken or not allowed."""
        if self.entry(sheet.name) is not None or not valid_sheet_name(sheet.name):
            why = f"a sheet cannot be named '{sheet.name}': " + (
                "there is one already"
                if self.entry(sheet.name)
                else f"at most {MAX_SHEET_NAME} characters, without []:*?/\\"
            )
            raise DataError(Fault("adding a sheet", why, self.name, "give the sheet another name"))
        self.entries.append(SheetEntry(sheet.name, None, loaded=sheet))

    def to_bytes(self) -> bytes:
        """The whole file. The same workbook gives the same bytes."""
        self.settle()
        self.write_shared()
        return self.package.to_bytes()

    def finish(self) -> bytes:
        """The whole file, as `to_bytes`; each sheet is let go when it is written, so that large ones never lie in
        memory twice. A sheet that is asked for afterwards is read again."""
        self.settle(keep=False)
        self.write_shared()
        return self.package.to_bytes()

    def settle(self, *, keep: bool = True) -> None:
        """Write changed and new sheets into their parts, so that the parts can be changed further; without `keep` they
        are let go, and read again when they are asked for."""
        for entry in self.entries:
            if entry.loaded is None:
                continue
            if entry.part is None:
                self._write_new(entry, entry.loaded)
                self.root_changed()
            elif not entry.is_written():
                self._write_changed(entry, entry.loaded)
                self._chain_is_stale |= entry.loaded.formulas_moved
            if not keep:
                entry.loaded = None

    def settle_new(self) -> None:
        """Write new sheets into parts, so that every sheet has one; changed cells of others wait until they are all
        there, since to write many takes long."""
        if any(entry.part is None for entry in self.entries):
            self.settle()

    @property
    def part(self) -> str:
        """The name of the workbook's main part."""
        return self._part

    @property
    def root(self) -> etree._Element:
        """The main part's root element; who changes it calls `root_changed`."""
        if self._is_shared:
            self._root, self._is_shared = deepcopy(self._root), False
        return self._root

    def root_changed(self) -> None:
        """Write the main part again, and read again what it says."""
        self.package.put(self._part, serialise_xml(self._root))
        self.names = defined_names(self._root, [entry.name for entry in self.entries])
        self._iteration = None

    def part_changed(self, part: str, content: bytes) -> None:
        """Write a sheet's part, or one that hangs on a sheet; sheets and tables are read again when asked for."""
        self.package.put(part, content)
        self._tables.clear()
        for entry in self.entries:
            if entry.loaded is not None and entry.part is not None:
                if entry.part == part:
                    entry.loaded = None
                else:
                    entry.loaded.tables = []

    def may_hold_formulas(self) -> bool:
        """Whether there may be formulas; large sheets that were not read are not read for it."""
        if self._by_kind.get("calcChain"):
            return True
        sheets = [entry for entry in self.entries if entry.kind == "worksheet"]
        return any(may_hold_formulas(entry, self.package) for entry in sheets)

    def mark_stale(self) -> None:
        """Results can be wrong now: ask the program that opens the file to recalculate (18.2.2)."""
        properties = child(self.root, "calcPr")
        if properties is None:
            properties = insert_child(self.root, "calcPr", WORKBOOK_ORDER)
        if properties.get("fullCalcOnLoad") != "1":
            properties.set("fullCalcOnLoad", "1")
            try:
                self.package.put(self._part, with_recalculation(self.package.read(self._part)))
            except Unusual:
                self.root_changed()

    def formulas_moved(self) -> None:
        """Formulas stand in other cells now: the order of calculation that the file may hold (18.6) goes with the next
        writing, and results can be wrong."""
        self._chain_is_stale = True
        self.mark_stale()

    def save(self, path: Path) -> None:
        """Write the file, whole or not at all. Raises AccessError."""
        data = self.to_bytes()
        with open_atomic(path) as stream:
            stream.write(data)

    def _write_new(self, entry: SheetEntry, sheet: Sheet) -> None:
        folder = self._part.rpartition("/")[0]
        space = self.relation_space
        part = put_new_sheet(self.package, folder, sheet, self.strings.places_of, self.next_table_id, space)
        identity = self.package.relate(self._part, f"{space}/worksheet", part)
        root = self.root
        sheets = child(root, "sheets")
        assert sheets is not None
        used = [item.get("sheetId") for item in sheets]
        element = etree.SubElement(sheets, tag(sheets, "sheet"), name=sheet.name, sheetId=str(free_number(used)))
        element.set(f"{{{space}}}id", identity)
        if (state := sheet.state) != "visible":
            element.set("state", state)
            entry.state = state
        index = self.entries.index(entry)
        if filtered := filter_area(sheet):
            add_name(root, "_xlnm._FilterDatabase", filtered, index, hidden=True)
        if printed := print_area(sheet):
            add_name(root, "_xlnm.Print_Area", printed, index)
        if titles := print_titles(sheet):
            add_name(root, "_xlnm.Print_Titles", titles, index)
        for name, formula in sheet.names.items():
            add_name(root, name, formula)
        entry.part = part
        self._chain_is_stale |= sheet.formula_count() > 0
        sheet.changed.clear()
        sheet.frames.clear()  # they are in the part now
        sheet.loaded, entry.frame = True, sheet.frame()

    def _write_changed(self, entry: SheetEntry, sheet: Sheet) -> None:
        assert entry.part is not None
        try:
            data = self.package.read(entry.part)
            mark_members(data, sheet.changed)
            same = sheet.stands_in(entry.frame)
            framed = entry.frame is not None and not same
            if framed or not put_rewritten(self.package, entry.part, data, sheet, self.strings):
                fresh = with_changed_cells(data, sheet, self.strings)
                self.package.put(entry.part, with_frame(fresh, sheet, entry.frame) if framed else fresh)
        except (ValueError, IndexError, KeyError) as error:
            why = f"its part '{entry.part}' cannot be changed: {error}"
            raise AccessError(Fault("changing a workbook", why, self.name, "get the file again")) from None
        if sheet.frames:
            folder, space = self._part.rpartition("/")[0], self.relation_space
            add_frames(self.package, folder, entry.part, sheet.frames, space)
            sheet.frames.clear()
        sheet.changed.clear()
        if not same:
            entry.frame = sheet.frame()

    @property
    def relation_space(self) -> str:
        """The relationships namespace this workbook uses: that of transitional or of strict files."""
        strict = "http://purl.oclc.org/ooxml/officeDocument/relationships"
        return strict if strict in self._root.nsmap.values() else RELATIONS

    def write_shared(self) -> None:
        """Write the styles and shared texts that were added, and drop an order of calculation that is stale."""
        folder = self._part.rpartition("/")[0]
        if self._styles is not None and self._styles.changed:
            self._put_related("styles", f"{folder}/styles.xml", self._styles.to_bytes())
            self._styles.changed = False
        if self._strings is not None and self._strings.changed:
            self._put_related("sharedStrings", f"{folder}/sharedStrings.xml", self._strings.to_bytes())
        chain = self._by_kind.pop("calcChain", None) if self._chain_is_stale else None
        if chain and self.package.has(chain):
            # The chain lists formula cells in an order of one program's; a stale one is worse than none (18.6).
            self.package.drop(chain)
            self.package.drop_type(chain)
            self.package.unrelate(self._part, chain)

    def _put_related(self, kind: str, part: str, content: bytes) -> None:
        """Write a part that the workbook relates to, under the name it has, or a new one."""
        known = self._by_kind.get(kind)
        if known is None:
            self.package.put(part, content)
            self.package.set_type(part, f"{_CONTENT}{kind}+xml")
            self.package.relate(self._part, f"{self.relation_space}/{kind}", part)
            self._by_kind[kind] = part
            return
        if not self.package.has(known):  # it is missing: what takes its place has no type yet
            self.package.set_type(known, f"{_CONTENT}{kind}+xml")
        self.package.put(known, content)
