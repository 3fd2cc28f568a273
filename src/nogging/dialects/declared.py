"""A dialect, as declared in `library/<dialect>/dialect.yaml`: how its sessions go and how it names things."""

from __future__ import annotations

import re
from functools import cache, cached_property
from pathlib import Path

from pydantic import Field, field_validator

from nogging.dialects.notation import compile_pattern
from nogging.dialects.reader_folders import Own, file, places
from nogging.errors import QuestionError, nearest
from nogging.files import Strict, load


class Mode(Strict):
    """One mode of a session, told from the others by its prompt."""

    prompt: str
    """A regular expression for the whole prompt; `{host}` is the name that was learned at login. As `"{host}#"`."""
    above: str = ""
    """The mode from which it is entered. As `exec`."""
    enter: str = ""
    """The line that leads into it from above. As `configure terminal`."""
    leave: str = ""
    """The line that leads back. As `end`."""
    entered_by: tuple[str, ...] = ()
    """Patterns of other lines that lead there. As `["interface <->"]`."""
    asks: str = ""
    """The request for a secret that entering may bring. As `"Password:"`."""
    never: tuple[str, ...] = ()
    """Regular expressions of what makes a command in it more than reading. As `[";"]`."""
    once: str = ""
    """How one command is run where there is no session; `{}` is the command. As `vtysh -c '{}'`."""
    prepare: tuple[str, ...] = ()
    """Lines that are sent first in it. As `[terminal length 0]`."""


class SessionRules(Strict):
    """How a command line session goes: its modes, its pager."""

    modes: dict[str, Mode]
    """The modes, by name; the first is that after login."""
    pager: str = ""
    """What stands where a page ends. As `--More--`."""
    more: str = " "
    """What asks for the next page. As `" "`."""
    raised: str = ""
    """The privileged mode, where there is one of its own."""
    renamed_by: tuple[str, ...] = ()
    """Lines after which the prompt may name another host."""

    @cached_property
    def _entries(self) -> list[re.Pattern[str]]:
        return [compile_pattern(pattern).regex for mode in self.modes.values() for pattern in mode.entered_by]

    def moves(self, line: str) -> bool:
        """Whether a line leads into another mode."""
        ways = (way for mode in self.modes.values() for way in (mode.enter, mode.leave) if way)
        return line in ways or any(entry.fullmatch(line) for entry in self._entries)

    @cached_property
    def _renaming(self) -> list[re.Pattern[str]]:
        return [compile_pattern(pattern).regex for pattern in self.renamed_by]

    def renames(self, line: str) -> bool:
        """Whether the prompt may name another host after a line."""
        return any(pattern.fullmatch(line.strip()) for pattern in self._renaming)

    def never(self, mode: str) -> tuple[str, ...]:
        """What a command in this mode must not hold; in any mode, where the mode is not known."""
        if mode:
            return self.modes[mode].never
        return tuple(word for known in self.modes.values() for word in known.never)


class Options(Strict):
    """The options of programs that stand before what they are asked, in any order and spelling: `ip -s -json a`."""

    of: tuple[str, ...]
    """The programs. As `[ip, bridge]`."""
    known: dict[str, str]
    """Each option in the order in which readers write them, with the whole word that it is the beginning of; nothing
    where it has no longer one. As `{-j: json, -4: ""}`."""
    idle: tuple[str, ...] = ()
    """Those that change nothing of the answer. As `[-c]`."""


class ClockAnswer(Strict):
    """How a device tells the time: the command, what of its answer is the time, and how that is written (as
    `strptime` has it; without a `form`, as ISO 8601 or written out, with the zone's name; UTC where none is told)."""

    command: str
    """The command that tells the time. As `show clock`."""
    pattern: str
    r"""What of its answer is the time, a regular expression. As `\d{4}-\d\d-\d\dT\S+`."""
    mode: str = ""
    """The mode in which it is asked. As `exec`."""
    form: str = ""
    """How the time is written, as `strptime` has it. As `"%H:%M:%S %a %b %d %Y"`."""


class Ping(Strict):
    """How a device sends one ICMP echo, `{}` being the address, and what its answer holds where one came back; `six` is
    another command for IPv6."""

    command: str
    """The command that sends one echo; `{}` is the address. As `ping -c 1 {}`."""
    good: str
    """What the answer holds where an echo came back. As `1 received`."""
    mode: str = ""
    """The mode in which it is sent. As `shell`."""
    six: str = ""
    """The command for IPv6, where it is another. As `ping -6 -c 1 {}`."""

    def to(self, address: str) -> str:
        command = self.six if self.six and ":" in address else self.command
        return command.replace("{}", address)


class Sending(Strict):
    """How a device sends echoes to an address, or traces the path to it: `{}` is the address, `{vrf}` the routing
    instance in `within`. The `six` are other commands for IPv6."""

    command: str
    """The command; `{}` is the address. As `ping {}`."""
    within: str
    """The command in a routing instance, `{vrf}`. As `ping vrf {vrf} {}`."""
    mode: str = ""
    """The mode in which it is sent. As `exec`."""
    six: str = ""
    """The command for IPv6, where it is another. As `ping ipv6 {}`."""
    six_within: str = ""
    """That in a routing instance. As `ping vrf {vrf} ipv6 {}`."""

    def to(self, address: str, vrf: str = "") -> str:
        six = ":" in address
        plain, within = (self.six if six else "") or self.command, (self.six_within if six else "") or self.within
        return (within if vrf else plain).replace("{vrf}", vrf).replace("{}", address)


class Gathering(Strict):
    """Commands that answer with the answers to many others, each under a heading."""

    commands: tuple[str, ...]
    """Patterns of them. As `["show tech-support[ <-...>]"]`."""
    heading: str
    """A regular expression of what stands above an answer, `{command}` being what it is the answer to. As
    `"-{10,} {command} -{10,}"`."""

    @field_validator("heading")
    @classmethod
    def is_heading(cls, heading: str) -> str:
        if "{command}" not in heading:
            raise ValueError("a heading names the command, '{command}'")
        try:
            re.compile(heading.replace("{command}", "x"))
        except re.error as error:
            raise ValueError(f"no regular expression: {error}") from None
        return heading

    @cached_property
    def _headed(self) -> re.Pattern[str]:
        return re.compile(self.heading.replace("{command}", r"(?P<command>\S(?:.*\S)?)"))

    @cached_property
    def _commands(self) -> list[re.Pattern[str]]:
        return [compile_pattern(command).regex for command in self.commands]

    def answers(self, command: str) -> bool:
        return any(pattern.fullmatch(command) for pattern in self._commands)

    def headed(self, line: str) -> str:
        """The command whose answer follows a line; nothing where the line is no heading."""
        match = self._headed.fullmatch(line.strip())
        return match["command"] if match else ""


class Dialect(Strict):
    """A dialect: how its sessions go, how it names things, what its devices say instead of an answer."""

    meaning: str
    """What speaks it, in a few words. As `the routing suite's own command line`."""
    builds_on: tuple[str, ...] = ()
    """Dialects that its devices speak as well: their readers are known, after its own. What they tell of a kind that
    the dialect itself tells of only fills in."""
    asks_also: tuple[str, ...] = ()
    """Those of their readers that a capture asks."""
    interfaces: dict[str, str] = Field(default_factory=dict)
    """Short spellings of interface names with the long ones. As `{Gi: GigabitEthernet}`."""
    not_supported: tuple[str, ...] = ()
    """What a device says to a command that it does not know, each the beginning of a line. As `["% Invalid input"]`."""
    not_configured: tuple[str, ...] = ()
    """What it says where a feature is not configured. As `["% OSPF not enabled"]`."""
    not_running: tuple[str, ...] = ()
    """What it says where a process that would have to answer does not run. As `["ospfd is not running"]`."""
    remarks: tuple[str, ...] = ()
    """Lines that may stand beside any answer, as readers write them: a warning, what the prompt says of the chassis."""
    dressing: tuple[str, ...] = ()
    """What people put before a command that changes nothing of its answer."""
    options: Options | None = None
    """Options that stand before what a program is asked; those of a dialect that this one builds on, where it says
    nothing."""
    implied: str = ""
    """What stands before a command that is typed where it need not be said: within the program that it names."""
    anywhere: tuple[str, ...] = ()
    """What may stand in several places of a command and means the same there. As `["vrf <->"]`."""
    narrowed_by: tuple[str, ...] = ()
    """What makes a command ask for a part of what it asks for otherwise, beside an address, a port or a number that
    somebody names. As `["interface <->"]`."""
    idle_pipes: tuple[str, ...] = ()
    """The first words of pipes that change nothing of it."""
    pipes_to: dict[str, str] = Field(default_factory=dict)
    """The first words of pipes that give a form, with the word by which readers know it. As `{json-pretty: json}`."""
    filters: tuple[str, ...] = ()
    """The first words of pipes that let only some of its lines through."""
    gathers: Gathering | None = None
    """Commands of which an answer gathers those of many others."""
    reads: dict[str, str] = Field(default_factory=dict)
    """Patterns of commands that only read, each with its mode. As `{"show <-...>": ""}`."""
    sends: tuple[str, ...] = ()
    """First words of commands that send traffic. As `[ping]`."""
    clock: ClockAnswer | None = None
    """How a device tells the time."""
    ping: Ping | None = None
    """How a device sends one echo."""
    echoes: Sending | None = None
    """How it sends echoes, to see what comes back."""
    trace: Sending | None = None
    """How it traces the path to an address."""
    only: tuple[str, ...] = ()
    """The only kinds that its devices are asked for: nothing else of them is missing."""
    way: str = "shell"
    """How its devices are reached unless the inventory says otherwise. As `shell`."""
    namespaces: dict[str, str] = Field(default_factory=dict)
    """Prefixes of the models that it answers in. As `{if: "urn:ietf:params:xml:ns:yang:ietf-interfaces"}`."""
    bare_names: bool = False
    """Whether elements of an answer in XML are known by their names alone: each release has namespaces of its own."""
    session: SessionRules = SessionRules(modes={})
    """How a session at its command line goes."""

    @cached_property
    def _remarks(self) -> list[re.Pattern[str]]:
        return [compile_pattern(remark).regex for remark in self.remarks]

    def is_remark(self, line: str) -> bool:
        """Whether a line says something beside the answer."""
        return any(remark.fullmatch(line.strip()) for remark in self._remarks)

    @cached_property
    def refusals(self) -> tuple[str, ...]:
        """How lines begin by which a device says that there is nothing to answer."""
        return self.not_configured + self.not_running + self.not_supported

    @cached_property
    def long_names(self) -> dict[str, str]:
        return {short.lower(): name for short, name in self.interfaces.items()}

    def long_name(self, letters: str) -> str:
        """How the names of interfaces begin for which somebody typed these letters, or any beginning of them; nothing
        where none do."""
        typed = letters.lower()
        whole = (name for name in self.interfaces.values() if name.lower().startswith(typed))
        return self.long_names.get(typed) or next(whole, "")


def dialects(own: Own = ()) -> list[str]:
    """The names of the dialects that the library and the user's own folders know."""
    return sorted({path.parent.name for place in places(own) for path in place.glob("*/dialect.yaml")})


def require_dialect(name: str, own: Own = ()) -> None:
    """Raises `QuestionError` for a dialect that is declared nowhere."""
    known = dialects(own)
    if name not in known:
        raise QuestionError(f"unknown dialect '{name}'{nearest(name, known)}")


def load_dialect(name: str, own: Own = ()) -> Dialect:
    """The declaration of a dialect; `QuestionError` where there is none."""
    return _load(name, places(own))


def dialect_file(name: str, own: Own = ()) -> Path:
    """Where a dialect is declared; `QuestionError` where it is nowhere."""
    return _file(name, places(own))


def _file(name: str, where: tuple[Path, ...]) -> Path:
    path = file(name, "dialect.yaml", where)
    if path is None:
        known = sorted({path.parent.name for place in where for path in place.glob("*/dialect.yaml")})
        raise QuestionError(f"unknown dialect '{name}'{nearest(name, known)}")
    return path


@cache
def _load(name: str, where: tuple[Path, ...]) -> Dialect:
    dialect, _ = load(_file(name, where), Dialect)
    below = (_load(base, where).options for base in dialect.builds_on)
    return dialect.model_copy(update={"options": dialect.options or next(filter(None, below), None)})


def forget() -> None:
    """Lets go of the dialects that were loaded: their files changed."""
    _load.cache_clear()
