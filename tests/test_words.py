"""Every word counts: each word and each line of each sample is deleted, doubled and replaced, and something is said of it.

Nothing else is possible: a record differs, a line is unread, the words that no field took differ, or the words are of a
line that its reader declares to say nothing, with the reason (`silent`, `left_out`). Numbers and times in words that no
field took stand for "a number", so that one for another is no difference; what is no number in its place is. Of a
document each leaf is replaced and deleted. `NOGGING_WORDS=400 python tests/test_words.py` tells what became of them.
"""

from __future__ import annotations

import copy
import json
import os
import random
import re
from collections import Counter, defaultdict
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest
from lxml import etree

import nogging
from nogging.dialects.reader_folders import LIBRARY
from nogging.reading.account import Reading
from nogging.reading.declared import Reader
from nogging.reading.documents import json_values
from nogging.reading.engine import run
from nogging.reading.reader import load_reader
from nogging.reading.remainder import LineRemainders
from nogging.reading.samples import samples
from nogging.records.words import worded

AT = datetime(2026, 11, 23, 7, tzinfo=UTC)
OTHER = "otherwise"
MOST = int(os.environ.get("NOGGING_WORDS", "10"))
"""As many words of a sample are tried in each run of the tests; NOGGING_WORDS=100000 tries all."""


def told(reading: Reading) -> Any:
    """All that a reading says, but for where it stands."""
    rows = {
        kind: [{k: v for k, v in row.items() if k not in ("line", "answer")} for row in rows]
        for kind, rows in reading.rows.items()
    }
    unread = [one.text for one in reading.unread]
    flags = reading.not_configured, reading.not_running, reading.not_supported
    return rows, unread, [words for _, words in reading.passed if words], flags


def other_words(reader: Reader) -> dict[str, str]:
    """For each word that means something to a reader another one that means the same."""
    found: dict[str, str] = {}
    for words in reader.meanings.values():
        for word, meant in words.items():
            others = [other for other, same in words.items() if same == meant is not None and other != word]
            if others:
                found[word] = others[-1]
    return found


def mutations(lines: list[str], seed: str, others: dict[str, str]) -> Iterator[tuple[int, str, list[str]]]:
    """The number of a line, what was done to it, and the answer after that."""
    words = [(n, m.start(), m.end()) for n, line in enumerate(lines) for m in re.finditer(r"\S+", line)]
    picked = words if len(words) <= MOST else random.Random(seed).sample(words, MOST)
    for n, start, end in sorted(picked):
        line = lines[n]
        word = line[start:end]
        ways = {"deleted": "", "doubled": f"{word} {word}", "replaced": OTHER}
        for how, other in (ways | ({"in other words": others[word]} if word in others else {})).items():
            yield n, f"{word} {how}", [*lines[:n], line[:start] + other + line[end:], *lines[n + 1 :]]
    whole = [n for n, line in enumerate(lines) if line.strip()]
    for n in whole if len(whole) <= MOST else random.Random(seed).sample(whole, MOST):
        yield n, "line deleted", [*lines[:n], *lines[n + 1 :]]
        yield n, "line doubled", [*lines[:n], lines[n], lines[n], *lines[n + 1 :]]


def says_nothing(reader: Reader, text: str, other: str | None, word: str) -> bool:
    """Whether a line has no words at all (it draws a line), or is declared to say nothing; whether a word was a number or
    a time, or part of one; or one that the reader declares to mean that there is no value."""
    words = LineRemainders(reader.silent)
    if reader.left_out or words.is_silent(text.strip()) or not words.of(text.strip(), ()):
        return True
    none = {text for meanings in reader.meanings.values() for text, meant in meanings.items() if meant is None}
    return not words.of(word, ()) or word.strip(",") in none or (other is not None and worded(text) == worded(other))


Outcome = Counter[str]
RECORDS, UNREAD, WORDS, NOTHING, UNSAID = (
    "a record differs",
    "a line is unread",
    "the words differ",
    "declared",
    "unsaid",
)


def became(whole: Any, now: Any) -> str:
    """What is said of a mutation."""
    if now[1] != whole[1] or now[3] != whole[3]:
        return UNREAD
    plain = [
        {kind: [{k: v for k, v in row.items() if k != "remainder"} for row in rows] for kind, rows in one[0].items()}
        for one in (whole, now)
    ]
    return RECORDS if plain[0] != plain[1] else WORDS if whole != now else UNSAID


def of_lines(path: Path) -> tuple[Outcome, list[str]]:
    """What became of the words of a text, and those that vanished."""
    reader = load_reader(path.with_name(path.name.split(".")[0] + ".yaml"))
    lines = path.read_text().split("\n")
    took = run(reader, "\n".join(lines), at=AT, explain=True).took or {}
    twice = {n for n, one in took.items() if one[0].action == "carry"}  # a heading told twice holds for the same lines
    whole = told(run(reader, "\n".join(lines), at=AT))
    found, unsaid = Counter[str](), []
    for n, how, other in mutations(lines, f"{path.parent.name}/{path.name}", other_words(reader)):
        said = became(whole, told(run(reader, "\n".join(other), at=AT)))
        there = other[n] if not how.startswith("line ") else None
        if said == UNSAID and (how == "line doubled" and n + 1 in twice):
            said = NOTHING
        if said == UNSAID and says_nothing(reader, lines[n], there, how.rpartition(" ")[0]):
            said = NOTHING
        if said == UNSAID and how.endswith(" doubled") and not LineRemainders().of(how.split()[0], ()).strip("# "):
            said = NOTHING  # a time said twice
        if said == UNSAID:
            unsaid.append(f"line {n + 1}: {how}: {lines[n].strip()}")
        found[said] += 1
    return found, unsaid


def of_document(path: Path) -> tuple[Outcome, list[str]]:
    """What became of the leaves of a document, and those that vanished. To leave out what says that there is nothing is to
    say the same."""
    reader = load_reader(path.with_name(path.name.split(".")[0] + ".yaml"))
    text = path.read_text()
    tree = Leaves(text)
    whole = told(run(reader, tree.text(), at=AT))
    found, unsaid = Counter[str](), []
    for leaf in tree.some(f"{path.parent.name}/{path.name}"):
        with tree.replaced(leaf):
            replaced = became(whole, told(run(reader, tree.text(), at=AT)))
        with tree.deleted(leaf):
            deleted = became(whole, told(run(reader, tree.text(), at=AT)))
        number = not LineRemainders().of(tree.value(leaf), ()).strip("# ") or reader.left_out
        for how, said in (("replaced", replaced), ("deleted", deleted)):
            if said == UNSAID and (number or (how == "deleted" and replaced != UNSAID) or tree.name(leaf) in NOWHERE):
                said = NOTHING
            if said == UNSAID:
                unsaid.append(f"{tree.name(leaf)}: {how}: {tree.value(leaf)}")
            found[said] += 1
    return found, unsaid


NOWHERE = {"dev"}
"""Through which interface nothing is forwarded: `unreachable default dev lo`."""


class Leaves:
    """The leaves of a document in JSON or XML, each of which can be another for a while."""

    def __init__(self, text: str) -> None:
        self.is_xml = text.lstrip().startswith("<")
        self.root: Any = etree.fromstring(text.encode()) if self.is_xml else json_values(text)

    def text(self) -> str:
        return (
            etree.tostring(self.root).decode()
            if self.is_xml
            else "\n".join(json.dumps(one, indent=1) for one in self.root)
        )

    def some(self, seed: str) -> list[Any]:
        if self.is_xml:
            every = [one for one in self.root.iter() if isinstance(one.tag, str) and not len(one) and one.text]
        else:
            every = list(self._leaves(self.root))
        return every if len(every) <= MOST else random.Random(seed).sample(every, MOST)

    def _leaves(self, node: Any) -> Iterator[tuple[Any, Any]]:
        for key, value in node.items() if isinstance(node, dict) else list(enumerate(node)):
            if key == "xmlns":
                continue  # the name of a language, as in XML
            yield from self._leaves(value) if isinstance(value, dict | list) else [(node, key)]

    def name(self, leaf: Any) -> str:
        return str(etree.QName(leaf).localname if self.is_xml else leaf[1])

    def value(self, leaf: Any) -> str:
        return str(leaf.text if self.is_xml else leaf[0][leaf[1]])

    @contextmanager
    def replaced(self, leaf: Any) -> Iterator[None]:
        if self.is_xml:
            was, leaf.text = leaf.text, OTHER
            yield
            leaf.text = was
            return
        node, key = leaf
        was = node[key]
        node[key] = not was if isinstance(was, bool) else was + 1 if isinstance(was, int | float) else OTHER
        yield
        node[key] = was

    @contextmanager
    def deleted(self, leaf: Any) -> Iterator[None]:
        if self.is_xml:
            parent = leaf.getparent()
            place = parent.index(leaf)
            parent.remove(leaf)
            yield
            parent.insert(place, leaf)
            return
        node, key = leaf
        was = copy.copy(node)
        del node[key]
        yield
        node.clear() if isinstance(node, dict) else node.__delitem__(slice(None))
        node.update(was) if isinstance(node, dict) else node.extend(was)


def compared() -> list[Path]:
    """The samples of readers whose records are compared: a log is not."""
    every = ((path, load_reader(path.with_name(path.name.split(".")[0] + ".yaml"))) for path in samples(LIBRARY))
    return [path for path, reader in every if any(kind.compared for kind in reader.kinds)]


def outcome(path: Path) -> tuple[Outcome, list[str]]:
    return of_document(path) if path.read_text().lstrip().startswith(("{", "[", "<")) else of_lines(path)


@pytest.mark.parametrize("path", compared(), ids=lambda path: f"{path.parent.name}/{path.name}")
def test_every_word_counts(path: Path) -> None:
    _, unsaid = outcome(path)
    assert not unsaid, "\n".join(unsaid[:20]) + f"\n{len(unsaid)} in all"


if __name__ == "__main__":
    by_dialect: dict[str, Outcome] = defaultdict(Counter)
    for one in compared():
        by_dialect[one.parent.name].update(outcome(one)[0])
    columns = (RECORDS, UNREAD, WORDS, NOTHING, UNSAID)
    print(f"| dialect | tried | {' | '.join(columns)} |\n| --- |{' ---: |' * (len(columns) + 1)}")
    for dialect, counted in by_dialect.items():
        print(f"| `{dialect}` | {counted.total()} | {' | '.join(str(counted[column]) for column in columns)} |")


QUIET = (
    "1w3d/00:01:34 v2",
    "Hold timer: 171.123/240",
    "State: Oper; Msgs sent/rcvd: 10532/10533; Downstream",
    "Round-trip Time (rtt/rtvar): 7.5ms/3.0ms",
    "min/max/avg: 1/344/262 last: 5 ms ago",
    "BGP activity 2210/103 prefixes, 4499/290 paths, scan interval",
    "pkts output/bytes output) 88120910/88120919911",
    "used 12/8/2 probes 3",
    "Unicast packets: 0/221/210",
    "attribute entries [52/18304]",
    "valid_lft 3421sec",
    "last up 11/20/26 03:12:44",
)
LOUD = (
    "Gi1/0/1",
    "0/0/0:15",
    "Port/Slot: 1/2",
    "198.51.100.0/24",
    "10.1/16",
    "speed 10/100/1000",
    "Address/Mask: 10/8",
)


@pytest.mark.parametrize("line", QUIET)
def test_what_counts_by_itself_is_no_difference(line: str) -> None:
    later = re.sub(r"\d(?=\D|$)", lambda digit: str((int(digit[0]) + 1) % 10), line)
    later = re.sub(r"/11/|/21/", "/01/", later)
    assert later != line
    assert worded(line) == worded(later).replace("v3", "v2")


@pytest.mark.parametrize("line", LOUD)
def test_where_something_is_stays_a_word(line: str) -> None:
    assert worded(line) == line


@pytest.mark.parametrize("line", ["/" + "1w" * 5000 + "x", "a " * 20000 + "/ x", "a/" * 20000, "1.000/" * 20000 + "x"])
def test_a_hostile_line_comes_to_an_end(line: str) -> None:
    """Each would take hours, were its parts tried in every way."""
    assert worded(line) == line.strip()


@pytest.mark.parametrize(
    ("dialect", "command", "answer", "unread"),
    [
        ("frr", "show bgp neighbors", "BGP neighbor is told in a new way\n  BGP state = Established", [1]),
        ("nxos", "show ip bgp neighbors", "BGP neighbor is 192.0.2.9, remote\n For address family: IPv4 Other", [1, 2]),
        (
            "ios",
            "show interfaces",
            "Ethernet0/1 is testing, line protocol is down (other) so far\n  Hardware is x",
            [1],
        ),
    ],
)
def test_what_begins_as_a_record_is_no_prose(dialect: str, command: str, answer: str, unread: list[int]) -> None:
    found = nogging.read(answer, dialect=dialect, command=command)
    assert [one.line for one in found.unread][: len(unread)] == unread
