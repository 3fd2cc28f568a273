"""Logs of terminals as they are: cut at the prompts of whatever devices they are of.

Prompts of many systems look alike, so what a device speaks is found out by what its answers are: each dialect that
knows such a prompt reads them, and the one that reads most of them whole is taken.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import cache
from types import MappingProxyType

from nogging.captures.screen import as_shown, shown
from nogging.dialects.declared import dialects, load_dialect
from nogging.dialects.reader_folders import Own
from nogging.errors import QuestionError
from nogging.reading.account import Reading
from nogging.reading.commands import typed
from nogging.reading.engine import run
from nogging.reading.reader import find_reader, spelled
from nogging.records import Type

_HOST = r"[A-Za-z0-9_][A-Za-z0-9_.-]+"
_SHELL = "shell"
_BEGINS = frozenset({"vtysh", "birdc", "configure", "conf", "su", "bash", "sh", "ssh", "telnet"})
_ENDS = frozenset({"exit", "logout", "quit", "end", "write"})
_MOVES = _BEGINS | _ENDS
"""What begins or ends a mode, or a session."""
_STAMP = re.compile(
    r"\s*+[\[(<]?(?:\d{4}[-/.]\d\d[-/.]\d\d[ T_])?\d\d:\d\d:\d\d(?:[.,:]\d+)?(?:Z|[+-]\d\d:?\d\d)?[\])>]?(?:[ \t]|$)"
)
_KEYS = r"(?:\^[A-Z@\[\]\\_])*"
"""Keys as a terminal writes them: `^Z` ends a configuration, `^C` a command."""
BEGINS = 200
"""Among so many lines the first prompt of a terminal is, if there is any."""
MOST_LINES = 2000
"""More of an answer is not read to find out what its device speaks."""


@dataclass(frozen=True)
class LoggedAnswer:
    """A command and its answer; `hosts` are the device by each dialect that takes the line before it for its prompt."""

    hosts: dict[str, str]
    command: str
    text: str


def cut(log: str, spoken: Iterable[str], own: Own = ()) -> Iterator[LoggedAnswer]:
    """The commands of a log, each with its answer: what stands between one prompt and the next."""
    prompts = {name: _prompt(name, own) for name in spoken}
    known: tuple[dict[str, str], str] | None = None
    lines: list[str] = []
    for line in shown(_unstamped(log.split("\n"))):
        matches = {name: match for name, prompt in prompts.items() if (match := prompt.match(line))}
        if not matches:
            lines.append(line)
            continue
        if known is not None and known[1]:
            yield LoggedAnswer(*known, "\n".join(lines) + "\n")
        # a prompt that another dialect takes for the beginning of a command is no prompt of that one
        ends = {name: match.start("command") if match["command"] else len(line) for name, match in matches.items()}
        fitting = {name: match for name, match in matches.items() if ends[name] == max(ends.values())}
        command = (next(iter(fitting.values()))["command"] or "").strip()
        known, lines = ({name: _host(match) for name, match in fitting.items()}, command), []
    if known is not None and known[1] and lines:
        yield LoggedAnswer(*known, "\n".join(lines).rstrip("\n") + "\n")


def one_answer(text: str, dialect: str, command: str, own: Own = ()) -> str:
    """The answer to a command, of what somebody saved of a terminal: without the prompts around it and its pages."""
    asked = spelled(dialect, command, own)
    begins = "\n".join(text.split("\n", BEGINS)[:BEGINS])
    if any(True for _ in cut(f"{begins}\n\n", [dialect], own)):
        said = [answer.text for answer in cut(text, [dialect], own) if spelled(dialect, answer.command, own) == asked]
        if said:
            return said[-1]
    text = as_shown(text)
    first, _, rest = text.lstrip("\n").partition("\n")
    return rest if spelled(dialect, first.strip(), own) == asked else text


def _unstamped(lines: list[str]) -> list[str]:
    """The lines without the time that a terminal wrote before each of them; as they are, where one has none."""
    if not all(_STAMP.match(line) or not line.strip() for line in lines):
        return lines
    return [_STAMP.sub("", line, count=1) for line in lines]


@cache
def _prompt(dialect: str, own: Own) -> re.Pattern[str]:
    modes = load_dialect(dialect, own).session.modes.values()
    prompts = "|".join(f"(?:{mode.prompt.replace('{host}', f'(?P<h{n}>{_HOST})')})" for n, mode in enumerate(modes))
    return re.compile(rf"^(?:{prompts})\s*{_KEYS}(?P<command>[A-Za-z/.].*)?$" if prompts else r"(?!)(?P<command>)")


def _host(match: re.Match[str]) -> str:
    return next(text for name, text in match.groupdict().items() if name != "command" and text)


def parts(dialect: str, command: str, text: str, own: Own = ()) -> Iterator[tuple[str, str]]:
    """An answer as it is; of one that gathers those of many commands (`show tech-support`), each with its command. Of a
    text of which the command is not known, too."""
    gathers = load_dialect(dialect, own).gathers
    if gathers is None or (command and not gathers.answers(spelled(dialect, " ".join(command.split()), own)[0])):
        yield command, text
        return
    lines: list[str] = []
    for line in text.split("\n"):
        heading = gathers.headed(line)
        if not heading or not is_question(dialect, heading, "", own):
            lines.append(line)
            continue
        if said := "\n".join(lines).strip("\n"):
            yield command, said + "\n"
        command, lines = heading, []
    said = "\n".join(lines)
    yield command, said if said == text else said.strip("\n") + "\n"


def is_question(dialect: str, command: str, text: str, own: Own = ()) -> bool:
    """Whether what somebody typed asks for something. What no reader knows does where it begins as what only reads, or
    where at a shell, that takes anything, it was answered; `conf t`, `end` and `exit` do not."""
    if find_reader(dialect, command, own) is not None:
        return True
    spoken = load_dialect(dialect, own)
    core = typed(command, spoken).core.lower()
    word = core.split(" ")[0]
    verbs = {command.split(" ")[0].partition("[")[0] for command in (*spoken.reads, *spoken.sends, "more")} - _MOVES
    if any(verb == word or (len(word) > 1 and verb.startswith(word)) for verb in verbs):
        return True
    return _SHELL in spoken.session.modes and bool(text.strip()) and word not in _MOVES


def by_device(
    log: str, name: str = "", own: Own = (), hints: Mapping[str, str] = MappingProxyType({})
) -> dict[str, tuple[str, list[tuple[str, str]]]]:
    """The devices of a log, each with what it speaks and its commands with their answers; without any prompt, the one
    device, by that name, that gathered the answers under headings.

    `QuestionError` where there is no prompt in it, or what a device speaks cannot be told.
    """
    by_host: dict[str, dict[str, list[tuple[str, str]]]] = defaultdict(lambda: defaultdict(list))
    for said in cut(log, dialects(own), own):
        for dialect, host in said.hosts.items():
            by_host[host][dialect].extend(parts(dialect, said.command, said.text, own))
    for dialect, answers in () if by_host or not name else by_dialect([("", log)], own).items():
        if gathered := [(command, text) for command, text in answers if command]:
            by_host[name][dialect] = gathered
    if not by_host:
        raise QuestionError("there is no prompt of a device with a command in it")
    told = {host: spoken_by(host, several, own, hints.get(host)) for host, several in by_host.items()}
    return {host: (dialect, by_host[host][dialect]) for host, dialect in told.items()}


def by_dialect(answers: list[tuple[str, str]], own: Own = ()) -> dict[str, list[tuple[str, str]]]:
    """Commands with their answers, as each dialect takes them apart."""
    return {
        dialect: [part for command, text in answers for part in parts(dialect, command, text, own)]
        for dialect in dialects(own)
    }


def spoken_by(host: str, answers: dict[str, list[tuple[str, str]]], own: Own = (), known: str | None = None) -> str:
    """The dialect that reads most of a device's answers whole; where two read as much, or none any, the one that it is
    `known` to speak, and `QuestionError` without."""
    scores = {dialect: _score(dialect, several, own) for dialect, several in answers.items()}
    best = max(scores.values())
    named = sorted(dialect for dialect, score in scores.items() if score == best)
    if known in (named if best[0] else answers):
        return str(known)
    if len(named) > 1 or not best[0]:
        raise QuestionError(
            f"{host}: what it speaks cannot be told ({', '.join(named)} read as much of it); "
            "say --dialect, or name it in an --inventory, with nogging ingest"
        )
    return named[0]


def _score(dialect: str, answers: list[tuple[str, str]], own: Own) -> tuple[int, int, int, int, int]:
    """How much of some answers a dialect reads: those that are whole, its lines in records, and the unread ones; how
    many interfaces have names that it has none of; and how many of the answers are its own, and not those of one that
    it builds on."""
    whole = read = unread = strange = mine = 0
    names = frozenset(load_dialect(dialect, own).interfaces.values())
    for command, text in answers:
        full, _ = spelled(dialect, " ".join(command.split()), own)
        reader = find_reader(dialect, full, own)
        if reader is None:
            continue
        reading = run(reader, "\n".join(text.split("\n")[:MOST_LINES]), command=full)
        whole += bool(reading.counts() and not reading.unread)
        read += reading.read if reading.counts() else 0
        unread += len(reading.unread)
        strange += sum(name.rstrip("0123456789/.:") not in names for name in _interfaces(reading)) if names else 0
        mine += not reader.inherited
    return whole * 2 + bool(read), read, -unread, -strange, mine


def _interfaces(reading: Reading) -> Iterator[str]:
    """The interfaces that some records name."""
    for kind in reading.kinds:
        fields = [field.name for field in kind.fields.values() if field.type is Type.INTERFACE]
        yield from (row[name] for row in reading.all_rows(kind.name) for name in fields if row.get(name))
