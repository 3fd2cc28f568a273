"""Runs a reader's paths over an answer in JSON or XML, and accounts for every leaf.

As with lines, each leaf ends in exactly one account: read into a record, skipped because the reader knows it, or
unread with a reason. A leaf is told by its line, its path and what it says. A value that does not fit its field
leaves its leaf unread; a record without a required field gives all its leaves back.

A release adds members to a record as it adds words to a line. Such a leaf is a word of its record that no field took:
it goes to the remainder, and is compared. It is unread where it could be of a record that was not seen: in a list or a
map that no path leads into, or where no record is beside it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from datetime import datetime
from typing import Any

from nogging.dialects.declared import load_dialect
from nogging.reading.account import CUT, NO_ROWS, Reading, Took, Unread, says, without
from nogging.reading.declared import DocumentEntry, Leaf, Reader
from nogging.reading.documents import Document, DocumentNode, LeafKey, document
from nogging.reading.remainder import LineRemainders
from nogging.reading.slots import Slots, absent_of, inherited, lacking, one_by_one
from nogging.records import Kind
from nogging.records.field import REMAINDER, RESOLUTION
from nogging.records.joining import is_question, still_open
from nogging.records.words import together

NOT_MAPPED = "no path of the reader leads here"
COMPLAINT = re.compile(r"error|warn|message|output|reason", re.IGNORECASE)
"""In the name of a leaf beside records: it may say why there are not more of them."""
NOT_CARRIED = "what holds for all of this could not be read"
AGES = ("d", "h", "min", "s")
Given = tuple[DocumentNode, dict[str, Any]]
"""A leaf, and the fields that it gave."""
Outer = tuple[Kind, dict[str, Any]] | None


class Paths:
    """One answer being read, entry by entry."""

    def __init__(self, reader: Reader, at: datetime, device: str, skew: float, explain: bool = False) -> None:
        self.reader, self.device = reader, device
        self.dialect = load_dialect(reader.dialect, reader.own)
        self.reading = Reading(reader.kinds, {kind.name: [] for kind in reader.kinds})
        self.reading.took = {} if explain else None
        self.slots = Slots(reader, at, skew)
        self.absent = {kind.name: absent_of(reader, kind) for kind in reader.kinds}
        self.accounted: set[LeafKey] = set()
        self.known: set[LeafKey] = set()
        self.reasons: dict[LeafKey, str] = {}
        self.records: dict[LeafKey, tuple[int, str]] = {}
        self.made: dict[LeafKey, dict[str, Any]] = {}
        """The first record that was made of a node."""
        self.left: dict[LeafKey, list[str]] = {}
        """The words of leaves that no field took, by the node around them that a record was made of."""
        self.shared: set[LeafKey] | None = None
        self.words = LineRemainders(reader.silent)
        self.rests: dict[LeafKey, str] = {}
        """What is left of the leaves that were read."""

    def read(self, text: str, whole: bool) -> Reading:
        said = next((line.strip() for line in text.split("\n") if line.strip()), "")
        if said.startswith(self.dialect.refusals):
            says(self.reading, self.dialect, said)
            text = text.replace(said, "", 1)
        if not text.strip():
            return self.reading
        text = self.without_remarks(text)
        try:
            tree = document(text, self.reader.notation, self.dialect.bare_names)
            for skip in self.reader.skip:
                self.know(tree, skip(tree.root))
            self.entries(self.reader.entries, tree.root, dict(self.reader.start), None)
        except (ValueError, RecursionError) as error:
            return self.unreadable(text, f"this is no {self.reader.notation.upper()}: {error}" if whole else CUT)
        for rows in self.reading.rows.values():
            rows.sort(key=_place)
        self.account(tree)
        return self.reading

    def without_remarks(self, text: str) -> str:
        """A text in which the lines before and after the document are empty, where they say something beside it."""
        lines = text.split("\n")
        for number, line in enumerate(lines, 1):
            if line.strip() and self.dialect.is_remark(line):
                self.reading.skipped += 1
                self.reading.passed.append((number, self.words.of(line.strip(), ())))
                lines[number - 1] = ""
        return "\n".join(lines)

    def unreadable(self, text: str, reason: str) -> Reading:
        """A text that is no document at all: every line of it is unread."""
        lines = enumerate(text.split("\n"), 1)
        self.reading.rows = {kind.name: [] for kind in self.reader.kinds}
        self.reading.unread = [Unread(number, line, reason) for number, line in lines if line.strip()]
        return self.reading

    def entries(
        self,
        entries: tuple[DocumentEntry, ...],
        node: DocumentNode,
        carried: Mapping[str, Any],
        outer: Outer,
        around: tuple[DocumentNode, ...] = (),
    ) -> None:
        """`around` are the leaves of the entry without a kind that is next around: they belong to the records in it."""
        for entry in entries:
            for inner in entry.each(node):
                self.entry(entry, inner, carried, outer, around)

    def entry(
        self,
        entry: DocumentEntry,
        node: DocumentNode,
        carried: Mapping[str, Any],
        outer: Outer,
        around: tuple[DocumentNode, ...],
    ) -> None:
        self.know(node.document, (passed for skip in entry.skip for passed in skip(node)))
        values, taken, fits = self.values(entry, node, carried)
        if entry.kind is None and not fits:
            self.give_up(node)
            return
        if entry.kind is None:
            self.taken(taken)
            made = self.reading.counts()
            self.entries(entry.within, node, {**carried, **values}, outer, tuple(leaf for leaf, _ in taken))
            if self.reading.counts() == made and self.is_about_one(values):
                self.take_back(taken)
            elif self.reading.counts() == made:  # what they would have in common is said of nothing
                self.reading.passed += [
                    (node.document.line(leaf), self.said(leaf)) for leaf, _ in taken if leaf.key is not None
                ]
            return
        if entry.leaves and not taken and any(leaf.key not in self.known for leaf in node.document.leaves(node)):
            return  # nothing of what it would tell is there: something else is
        row = self.record(entry.kind, node, values, taken, carried, outer, around)
        if row is not None:
            self.others(entry, node, row, carried)
            self.entries(entry.within, node, carried, (entry.kind, row))

    def is_about_one(self, values: Mapping[str, Any]) -> bool:
        """Whether values name something of which records are the members: a prefix, without a next hop."""
        return any(kind.members and values.keys() & set(kind.required) for kind in self.reader.kinds)

    def take_back(self, taken: list[Given]) -> None:
        """Leaves unread what no record was made of."""
        for leaf, _ in taken:
            self.accounted.discard(leaf.key)
            self.reasons.setdefault(leaf.key, NO_ROWS)

    def others(self, entry: DocumentEntry, node: DocumentNode, row: dict[str, Any], carried: Mapping[str, Any]) -> None:
        """The records of the further values that a text of the first one's node holds."""
        assert entry.kind is not None
        for leaf in (leaf for leaf in entry.leaves if leaf.several):
            for at in leaf.path(node):
                for text in one_by_one(at.document.text(at) or "", entry.kind, leaf.values[0].field)[1:]:
                    given = self.slots.values(leaf, entry.kind, (text,), carried)
                    self.reading.rows[entry.kind.name].append({**row, **given})

    def give_up(self, node: DocumentNode) -> None:
        """Makes no records of a node whose own values, which they would have in common, could not be read."""
        for leaf in node.document.leaves(node):
            self.reasons.setdefault(leaf.key, NOT_CARRIED)

    def values(
        self, entry: DocumentEntry, node: DocumentNode, carried: Mapping[str, Any]
    ) -> tuple[dict[str, Any], list[Given], bool]:
        """The fields of an entry, the leaves that gave them, each with what it gave, and whether all fit."""
        values: dict[str, Any] = {}
        taken: list[Given] = []
        fits = True
        for leaf in entry.leaves:
            for at in leaf.path(node):
                try:
                    given = still_open(entry.kind, values, self.value(leaf, entry.kind, at, carried))
                    ages = {value.field for value in leaf.values if value.unit in AGES}
                    twice = [name for name in given if name in values and name.removesuffix(RESOLUTION) not in ages]
                    again = next((name for name in twice if not is_question(entry.kind, name)), None)
                    if again is not None:
                        raise ValueError(f"a second value for '{again}' in one record")
                except ValueError as error:
                    self.reasons.setdefault(at.key, str(error))
                    fits = False
                    continue
                for name in ages & values.keys() & given.keys():  # days, hours and seconds that stand apart are one age
                    given[name] = values[name] - (self.slots.at - given[name])
                values.update(given)
                taken.append((at, given))
        return {**entry.set, **values}, taken, fits

    def value(self, leaf: Leaf, kind: Kind | None, node: DocumentNode, carried: Mapping[str, Any]) -> dict[str, Any]:
        text = node.value if node.key is None else node.document.text(node)
        if text is None or not text.strip():
            return {}
        if leaf.several:
            text = next(iter(one_by_one(text, kind, leaf.values[0].field)), "")
        match = leaf.pattern.regex.fullmatch(text)
        if match is None:
            raise ValueError(f"'{text}' is not written as {leaf.pattern.text}")
        if leaf.pattern.elements or leaf.pattern.alike:
            self.rests[node.key] = self.words.of(text, match.regs[1:], leaf.pattern)
        return self.slots.values(leaf, kind, match.groups(), carried)

    def record(
        self,
        kind: Kind,
        node: DocumentNode,
        values: dict[str, Any],
        taken: list[Given],
        carried: Mapping[str, Any],
        outer: Outer,
        around: tuple[DocumentNode, ...],
    ) -> dict[str, Any] | None:
        row: dict[str, Any] = {"device": self.device}
        for given in (self.reader.constants, carried):
            row.update((name, value) for name, value in given.items() if name in kind.fields)
        if outer is not None:
            row.update(inherited(kind, *outer))
        row.update(values)
        has_unread = bool(self.reasons) and any(leaf.key in self.reasons for leaf in node.document.leaves(node))
        missing = lacking(kind, row, [] if has_unread else self.absent[kind.name])
        if missing is not None:
            self.reasons.update((leaf.key, without(kind, missing)) for leaf, _ in taken if leaf.key is not None)
            return None
        leaves = (*around, *(leaf for leaf, _ in taken))
        lines = [node.document.line(leaf) for leaf in (node, *leaves) if leaf.key is not None]
        row["answer"], row["line"] = None, [min(lines), max(lines)]
        row[REMAINDER.name] = together(*(self.rests.get(leaf.key) for leaf in leaves))
        self.made.setdefault(node.key, row)
        self.records[node.key] = (min(lines), kind.name)
        self.reading.rows[kind.name].append(row)
        self.taken(taken)
        return row

    def taken(self, leaves: list[Given]) -> None:
        for node, gave in leaves:
            if node.key is not None:
                self.accounted.add(node.key)
                line = node.document.line(node)
                self.reading.taken[line] = (*self.reading.taken.get(line, ()), *gave)
                if self.reading.took is not None:
                    told = node.document.told(node).partition(": ")[0]
                    self.reading.took.setdefault(line, []).append(Took("read", told, gave))

    def know(self, tree: Document, nodes: Iterator[DocumentNode]) -> None:
        """Everything below these nodes says nothing that matters."""
        for node in nodes:
            self.known.update(leaf.key for leaf in tree.leaves(node))

    def pass_(self, tree: Document, leaf: DocumentNode) -> None:
        """A leaf that says nothing: its words are those of the record around it, else the answer's."""
        self.reading.skipped += 1
        words = self.said(leaf)
        around = next((key for key in tree.around(leaf) if key in self.made), None)
        if around is None:
            self.reading.passed.append((tree.line(leaf), words))
        else:
            self.left.setdefault(around, []).append(words)

    def said(self, leaf: DocumentNode) -> str:
        """The words of a leaf that no field took, its name among them."""
        where, _, value = leaf.document.told(leaf).partition(": ")
        return self.words.of(f"{_name(where)}: {value}", ())

    def is_own_word(self, tree: Document, leaf: DocumentNode) -> bool:
        """Whether a leaf that nothing leads to is a word of the record around it, or of what its records share."""
        if leaf.key in self.reasons:
            return False
        holders = tree.holders(leaf)
        if any(key in self.records for key in holders):
            return True
        if not holders or holders[0] not in self.beside(tree) or tree.is_listed(leaf):
            return False
        return COMPLAINT.search(_name(tree.told(leaf).partition(": ")[0])) is None

    def beside(self, tree: Document) -> set[LeafKey]:
        """The nodes around records."""
        if self.shared is None:
            self.shared = {around for key in self.records for around in tree.around(DocumentNode(tree, key, None))}
        return self.shared

    def account(self, tree: Document) -> None:
        self.reading.leaves = 0
        for leaf in tree.leaves(tree.root):
            if leaf.key in self.accounted:
                self.reading.leaves += 1
                continue
            if leaf.key in self.known or self.is_own_word(tree, leaf):
                self.pass_(tree, leaf)
                continue
            within, kind = next((self.records[key] for key in tree.around(leaf) if key in self.records), (None, None))
            reason = self.reasons.get(leaf.key, NOT_MAPPED)
            self.reading.unread.append(Unread(tree.line(leaf), tree.told(leaf), reason, within, kind))
        for around, words in self.left.items():
            row = self.made[around]
            row[REMAINDER.name] = together(row[REMAINDER.name], *words)
        self.reading.passed.sort(key=lambda passed: passed[0])


def _name(where: str) -> str:
    """What a leaf is called that stands there; one in a list, as the list is."""
    return re.split("[./]", re.sub(r"(\.[0-9]+)+$", "", where))[-1]


def _place(row: Mapping[str, Any]) -> int:
    """Where a record begins: entries that share what they read make their records one after the other."""
    first: int = row["line"][0]
    return first
