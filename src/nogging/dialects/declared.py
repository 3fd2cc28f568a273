"""A dialect, as declared in `library/<dialect>/dialect.yaml`: how its sessions go and how it names things."""

from __future__ import annotations

import re
from functools import cache, cached_property
from pathlib import Path

from pydantic import Field

from nogging.dialects.notation import compile_pattern
from nogging.dialects.places import Own, files, places
from nogging.errors import QuestionError, nearest
from nogging.files import Source, Strict, load


class Mode(Strict):
    """One mode of a session, told from the others by its prompt.

    `prompt` is a regular expression for the whole prompt, in which `{host}` stands for what is learned at login;
    `enter` and `leave` are the lines that go into the mode from the mode `above` and back; `entered_by` are patterns of
    other lines that go there; `asks` is the request for a
    secret that entering may bring. `never` are regular expressions of what makes a command more than reading;
    `once` is how one command is run where there is no session, `{}` being the command.
    """

    prompt: str
    above: str = ""
    enter: str = ""
    leave: str = ""
    entered_by: tuple[str, ...] = ()
    asks: str = ""
    never: tuple[str, ...] = ()
    once: str = ""
    prepare: tuple[str, ...] = ()


class Session(Strict):
    """How a command line session goes: its modes, its pager."""

    modes: dict[str, Mode]
    pager: str = ""
    more: str = " "
    raised: str = ""
    """The privileged mode, where there is one of its own."""
    renamed_by: tuple[str, ...] = ()
    """Lines after which the prompt may name another host."""

    @cached_property
    def _entries(self) -> list[re.Pattern[str]]:
        return [compile_pattern(one).regex for mode in self.modes.values() for one in mode.entered_by]

    def moves(self, line: str) -> bool:
        """Whether a line leads into another mode."""
        ways = (way for mode in self.modes.values() for way in (mode.enter, mode.leave) if way)
        return line in ways or any(one.fullmatch(line) for one in self._entries)

    @cached_property
    def _renaming(self) -> list[re.Pattern[str]]:
        return [compile_pattern(one).regex for one in self.renamed_by]

    def renames(self, line: str) -> bool:
        """Whether the prompt may name another host after a line."""
        return any(one.fullmatch(line.strip()) for one in self._renaming)

    def never(self, mode: str) -> tuple[str, ...]:
        """What a command in this mode must not hold; in any mode, where the mode is not known."""
        if mode:
            return self.modes[mode].never
        return tuple(one for known in self.modes.values() for one in known.never)


class Clock(Strict):
    """How a device tells the time: the command, what of its answer is the time, and how that is written (as
    `strptime` has it; without a `form`, as ISO 8601 or written out, with the zone's name; UTC where none is told)."""

    command: str
    pattern: str
    mode: str = ""
    form: str = ""


class Ping(Strict):
    """How a device sends one ICMP echo, `{}` being the address, and what its answer holds where one came back; `six` is
    another command for IPv6."""

    command: str
    good: str
    mode: str = ""
    six: str = ""

    def to(self, address: str) -> str:
        command = self.six if self.six and ":" in address else self.command
        return command.replace("{}", address)


class Sending(Strict):
    """How a device sends echoes to an address, or traces the path to it: `{}` is the address, `{vrf}` the routing
    instance in `within`. The `six` are other commands for IPv6."""

    command: str
    within: str
    mode: str = ""
    six: str = ""
    six_within: str = ""

    def to(self, address: str, vrf: str = "") -> str:
        six = ":" in address
        plain, within = (self.six if six else "") or self.command, (self.six_within if six else "") or self.within
        return (within if vrf else plain).replace("{vrf}", vrf).replace("{}", address)


class Dialect(Strict):
    """`interfaces` maps short spellings to long ones; `not_supported`, `not_configured` and `not_running` (a process
    that would have to answer does not run) are what a device says instead of an answer, each the beginning of a line.
    `reads` are the patterns of commands that only read, each
    with its mode; `sends` are the first words of commands that send traffic. `way` is how its devices are reached
    unless the inventory says otherwise; `namespaces` are the prefixes of the models that it answers in."""

    meaning: str
    builds_on: tuple[str, ...] = ()
    """Dialects that its devices speak as well: their readers are known, after its own. What they tell of a kind that
    the dialect itself tells of only fills in."""
    asks_also: tuple[str, ...] = ()
    """Those of their readers that a capture asks."""
    interfaces: dict[str, str] = Field(default_factory=dict)
    not_supported: tuple[str, ...] = ()
    not_configured: tuple[str, ...] = ()
    not_running: tuple[str, ...] = ()
    remarks: tuple[str, ...] = ()
    """Lines that may stand beside any answer, as readers write them: a warning, what the prompt says of the chassis."""
    dressing: tuple[str, ...] = ()
    """What people put before a command that changes nothing of its answer."""
    implied: str = ""
    """What stands before a command that is typed where it need not be said: within the program that it names."""
    idle_pipes: tuple[str, ...] = ()
    """The first words of pipes that change nothing of it."""
    filters: tuple[str, ...] = ()
    """The first words of pipes that let only some of its lines through."""
    reads: dict[str, str] = Field(default_factory=dict)
    sends: tuple[str, ...] = ()
    clock: Clock | None = None
    ping: Ping | None = None
    echoes: Sending | None = None
    trace: Sending | None = None
    only: tuple[str, ...] = ()
    """The only kinds that its devices are asked for: nothing else of them is missing."""
    way: str = "shell"
    namespaces: dict[str, str] = Field(default_factory=dict)
    bare_names: bool = False
    """Whether elements of an answer in XML are known by their names alone: each release has namespaces of its own."""
    session: Session = Session(modes={})

    @cached_property
    def _remarks(self) -> list[re.Pattern[str]]:
        return [compile_pattern(one).regex for one in self.remarks]

    def is_remark(self, line: str) -> bool:
        """Whether a line says something beside the answer."""
        return any(one.fullmatch(line.strip()) for one in self._remarks)

    @cached_property
    def refusals(self) -> tuple[str, ...]:
        """How lines begin by which a device says that there is nothing to answer."""
        return self.not_configured + self.not_running + self.not_supported

    @cached_property
    def long_names(self) -> dict[str, str]:
        return {short.lower(): name for short, name in self.interfaces.items()}


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
    """Where a dialect is declared."""
    require_dialect(name, own)
    return files(name, places(own))["dialect.yaml"]


@cache
def _load(name: str, where: tuple[Path, ...]) -> Dialect:
    if not any((place / name / "dialect.yaml").is_file() for place in where):
        known = sorted({path.parent.name for place in where for path in place.glob("*/dialect.yaml")})
        raise QuestionError(f"unknown dialect '{name}'{nearest(name, known)}")
    found: tuple[Dialect, Source] = load(files(name, where)["dialect.yaml"], Dialect)
    return found[0]


def forget() -> None:
    """Lets go of the dialects that were loaded: their files changed."""
    _load.cache_clear()
