"""A running configuration as a set of lines, each with the sections that it stands in.

A line is known by its path: the lines that open its sections, and itself. So two configurations are compared as sets,
whatever the order of their sections; the order of lines among which it means something is looked at besides. What a
device means by a line is declared with its dialect: which lines open sections, which replace an earlier one of the
same beginning (`mtu 9000` replaces `mtu 1500`), and which stand for what holds without a word (`mtu 1500` is not
shown). From that follows what a line would do, and which lines undo it.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence, Set
from dataclasses import dataclass
from enum import StrEnum

from nogging.changes.plan.knowledge import Knowledge
from nogging.changes.plan.tree import edit, paths_of

Path = tuple[str, ...]
"""A line of a configuration with the lines that open its sections before it."""
NO = "no "


class Effect(StrEnum):
    """What a line would do: it is there already, it would be added, it would put another in its place, it would take
    something away, or nobody can tell, because the device shows only a hash of it."""

    THERE = "there"
    ADDED = "added"
    REPLACED = "replaced"
    REMOVED = "removed"
    HIDDEN = "hidden"


@dataclass(frozen=True)
class Planned:
    """One line and what it would do. `removes` are the lines that would go."""

    path: Path
    effect: Effect
    removes: tuple[Path, ...] = ()

    @property
    def changes(self) -> bool:
        return self.effect is not Effect.THERE


class Configuration:
    """The lines of one device. Never changed in place: `after` gives another."""

    def __init__(self, knowledge: Knowledge, paths: Iterable[Path]) -> None:
        self.knowledge = knowledge
        self.paths = dict.fromkeys(paths)

    @classmethod
    def shown(cls, knowledge: Knowledge, text: str) -> Configuration:
        """From what a device shows: its sections are told by indentation, or by the elements of its models."""
        if knowledge.tree is not None:
            return cls(knowledge, paths_of(knowledge, text))
        return cls(knowledge, _indented(knowledge, text.splitlines()))

    def plan(self, line: Path) -> Planned:
        """What a line would do here."""
        if line[-1].startswith(NO):
            gone = self._meant(line)
            there = not gone or line in self.paths
            return Planned(line, Effect.THERE if there else Effect.REMOVED, () if there else gone)
        if line in self.paths or self.knowledge.lasting(line) or (self.knowledge.opens(line) and self._within(line)):
            return Planned(line, Effect.THERE)
        rivals = self._rivals(line)
        if any(self.knowledge.hashed(line[-1], rival[-1]) for rival in rivals):
            return Planned(line, Effect.HIDDEN, rivals)
        usual = not rivals and self.knowledge.usual(line[-1])
        negated = (*line[:-1], NO + line[-1])
        away = (*rivals, *((negated,) if negated in self.paths else ()))
        return Planned(line, Effect.THERE if usual and not away else Effect.REPLACED if away else Effect.ADDED, away)

    def after(self, planned: Planned) -> Configuration:
        """The configuration that a line leaves, as far as is known."""
        if planned.effect is Effect.THERE:
            return self
        left, line = dict(self.paths), planned.path
        for remove in planned.removes:
            left.pop(remove, None)
        gone = line[-1].startswith(NO) or (self.knowledge.usual(line[-1]) and planned.effect is Effect.REPLACED)
        for n in range(1, len(line) + (not gone)):
            left.setdefault(line[:n])
        return Configuration(self.knowledge, left)

    def _within(self, section: Path) -> bool:
        return any(path[: len(section)] == section for path in self.paths)

    def _meant(self, line: Path) -> tuple[Path, ...]:
        """The lines that one with `no` takes away: those that begin with what follows it, and what stands in them."""
        words, section = line[-1].removeprefix(NO), line[:-1]
        depth = len(line)
        return tuple(
            path
            for path in self.paths
            if path[: depth - 1] == section
            and len(path) >= depth
            and (path[depth - 1] == words or path[depth - 1].startswith(words + " "))
        )

    def _rivals(self, line: Path) -> tuple[Path, ...]:
        """The lines of the same section that this one would replace."""
        beginning, section = self.knowledge.beginning(line[-1]), line[:-1]
        if beginning is None:
            return ()
        beside = (path for path in self.paths if path[:-1] == section)
        return tuple(path for path in beside if self.knowledge.beginning(path[-1]) == beginning)

    def lines_to(self, wanted: Configuration) -> list[Path]:
        """The lines that make the other configuration out of this one: what is to go first, the last of it first; then
        what is to come, in its own order, what stands in no section before what does."""
        surplus = [path for path in self.paths if path not in wanted.paths]
        absent = [path for path in wanted.paths if path not in self.paths]
        replaced = {
            (path[:-1], self.knowledge.beginning(path[-1])) for path in absent if self.knowledge.beginning(path[-1])
        }
        away: list[Path] = []
        for path in reversed(surplus):
            section_goes = any(
                path[:n] in surplus and not self.knowledge.lasting(path[:n]) for n in range(1, len(path))
            )
            beginning = self.knowledge.beginning(path[-1])
            if section_goes or self.knowledge.lasting(path) or (beginning and (path[:-1], beginning) in replaced):
                continue
            away.append((*path[:-1], path[-1].removeprefix(NO) if path[-1].startswith(NO) else NO + path[-1]))
        come = (path for path in absent if not self.knowledge.lasting(path))
        return [*away, *sorted(come, key=lambda path: self.knowledge.opens(path[:1]))]

    def lists(self) -> dict[str, list[Path]]:
        """The lines whose order means something, each list in its order."""
        lists: dict[str, list[Path]] = {}
        for path in self.paths:
            name = self.knowledge.list_of(path)
            if name is not None:
                lists.setdefault(name, []).append(path)
        return lists

    def reordered(self, was: Configuration) -> list[Path]:
        """The lines of each list that is not in the order that it was in, as they were, so far as they are in both."""
        reordered, now = [], self.lists()
        for name, lines in was.lists().items():
            both = [line for line in lines if line in self.paths]
            reordered += both if both != [path for path in now.get(name, ()) if path in was.paths] else []
        return reordered


def given(knowledge: Knowledge, lines: Sequence[str], now: Configuration | None = None) -> list[Path]:
    """Lines as somebody wrote them for a device: sections by indentation where there is any, else by what is known
    to open one, or does so in what the device shows now."""
    if any(line[:1].isspace() for line in lines):
        return _indented(knowledge, lines)
    shown = {path[:n] for path in now.paths for n in range(1, len(path))} if now is not None else set[Path]()
    return _listed(knowledge, lines, shown)


def _indented(knowledge: Knowledge, lines: Iterable[str]) -> list[Path]:
    paths: list[Path] = []
    around: list[tuple[int, str]] = []
    for raw in lines:
        line = knowledge.spelt(raw)
        if not line or knowledge.ignored(line):
            continue
        depth = len(raw) - len(raw.lstrip())
        while around and around[-1][0] >= depth:
            around.pop()
        around.append((depth, line))
        paths.append(tuple(line for _, line in around))
    return paths


def _listed(knowledge: Knowledge, lines: Iterable[str], shown: Set[Path]) -> list[Path]:
    def opens(path: Path) -> bool:
        return knowledge.opens(path) or path in shown

    paths: list[Path] = []
    section: Path = ()
    for raw in lines:
        line = knowledge.spelt(raw)
        if line == "exit" or line in knowledge.ends:
            section = section[:-1]
        if not line or knowledge.ignored(line):
            continue
        around = (section[:n] for n in range(len(section), -1, -1))
        section = next((section_above for section_above in around if opens((*section_above, line))), section)
        paths.append((*section, line))
        if opens((*section, line)):
            section = (*section, line)
    return paths


def sent(knowledge: Knowledge, paths: Sequence[Path]) -> list[tuple[str, str]]:
    """What is sent for some lines, in order, each with its mode."""
    if not paths:
        return []
    lines = typed(knowledge, paths) if knowledge.tree is None else [f"edit-config candidate {edit(knowledge, paths)}"]
    commit = () if knowledge.commit is None else (knowledge.commit,)
    before, after = (
        [(command.command, command.mode) for command in asked]
        for asked in (knowledge.first, (*commit, *knowledge.last))
    )
    return [*before, *((line, knowledge.mode) for line in lines), *after]


def typed(knowledge: Knowledge, paths: Iterable[Path]) -> list[str]:
    """Lines with their sections as they are typed: a section is entered once for the lines that follow each other in
    it; indented as a device would show it."""
    lines: list[str] = []
    inside: Path = ()
    for path in paths:
        section = path[:-1]
        same = 0
        while same < min(len(section), len(inside)) and section[same] == inside[same]:
            same += 1
        if same < len(inside) and section[:same] != section:
            same = 0
        lines += _left(knowledge, inside, path[: same + 1])
        lines += [" " * n + section[n] for n in range(same, len(section))]
        lines.append(" " * len(section) + knowledge.said(path[-1]))
        inside = path
    return lines


def _left(knowledge: Knowledge, inside: Path, to: Path) -> list[str]:
    """What leaves a section in which the next line would be one of its own: elsewhere a device looks further out."""
    mode = inside if inside and knowledge.opens(inside) else inside[:-1]
    deeper = (mode[:n] for n in range(len(to), len(mode) + 1))
    mistaken = knowledge.tree is None and any(knowledge.opens((*section, to[-1])) for section in deeper)
    return [" " * n + "exit" for n in range(len(mode), len(to) - 1, -1)] if mistaken else []


def in_a_line(knowledge: Knowledge, paths: Iterable[Path]) -> str:
    """The same as it is told in a sentence."""
    return "; ".join(line.strip() for line in typed(knowledge, paths))
