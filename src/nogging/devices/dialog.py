"""What a command line session is, without any input or output.

Theory of operation. A session is a terminal that somebody else reads and writes. The dialog is fed the text that
arrived (`receive`) and told what is wanted (`ask`); both return events in order: text to send, lines of an
answer, an answer that is complete. It never waits; whoever drives it decides how long silence may last.

What the dialog wants is kept as a row of steps. A step sends one line and ends when a prompt of the mode that it should
lead to stands at the very end of what arrived, with no line end behind it. A prompt is learned when its mode is first
seen: from then on it has to name the same host, so a line of output that merely looks like a prompt
does not end an answer; after a line that renames the host it is learned anew. Going from one mode to another is
steps as well, and each mode has lines that prepare it.

Between a command and its answer stands the echo, perhaps wrapped by the terminal's width; it is taken off by
comparing what is not white space. A pager's request is answered, and what it wrote is wiped as a screen would
wipe it: every line is rendered with its backspaces and carriage returns before it counts.
"""

from __future__ import annotations

import re
from collections import deque
from dataclasses import dataclass

from nogging.captures.screen import Pieces, acting, rendered
from nogging.dialects.declared import Mode, SessionRules
from nogging.errors import LoginRefused, NotUnderstood

_ANY_HOST = r"(?P<host>[A-Za-z0-9_][A-Za-z0-9_.-]*)"
_PASSWORD = re.compile(r"(?:password|passcode|passphrase)[^:?]{0,30}[:?]\s*$", re.IGNORECASE)
LONGEST_TAIL = 4096
"""A line without an end that is longer than this is no prompt and no pager."""


def one_line(command: str) -> None:
    """Raises `NotUnderstood` for a command that a terminal takes for more than one, or for a key."""
    if acting(command) is not None:
        raise NotUnderstood(f"{command!r} has a control character in it, and is not sent")


@dataclass(frozen=True)
class Send:
    """Text that is to be sent now; a `secret` one is never shown."""

    text: str
    secret: bool = False


@dataclass(frozen=True)
class AnswerLines:
    """Complete lines of the answer that is under way, each with its line end."""

    text: str


@dataclass(frozen=True)
class Ready:
    """Logged in, and the first prompt learned."""

    mode: str


@dataclass(frozen=True)
class Done:
    """The answer to this command is complete."""

    command: str


DialogEvent = Send | AnswerLines | Ready | Done


@dataclass(frozen=True)
class _DialogStep:
    """A line to send and the modes whose prompt ends the step; `kept` is for what was asked, not for the way. A step
    into a mode that `asks` may be answered with the secret, once; then only the mode's own prompt is good."""

    line: str | None
    modes: tuple[str, ...]
    kept: bool = False
    asks: str = ""


class Dialog:
    """One session's state. It begins waiting for the first prompt."""

    def __init__(self, session: SessionRules, secret: str | None = None) -> None:
        self.session = session
        self.secret = secret
        self.answered_secret = False
        self.prompt = ""
        self.mode: str | None = None
        self.first: str | None = None
        self.hosts: dict[str, str] = {}
        self.steps: deque[_DialogStep] = deque([_DialogStep(None, tuple(session.modes))])
        self.pieces = Pieces()
        self.echo = ""

    def receive(self, text: str) -> list[DialogEvent]:
        """What follows from text that arrived."""
        events: list[DialogEvent] = []
        kept = [shown for line in self.pieces.take(text) if (shown := self._line(line)) is not None]
        if kept and self.steps and self.steps[0].kept:
            events.append(AnswerLines("".join(kept)))
        return events + self._at_the_end()

    def ask(self, command: str, mode: str = "") -> list[DialogEvent]:
        """Asks for the answer to a command, in a mode (the present one, where none is named).

        Raises `NotUnderstood` where the mode cannot be reached from here.
        """
        if self.mode is None or self.steps:
            raise NotUnderstood(f"not ready for '{command}' yet")
        one_line(command)
        wanted = mode or self.mode
        self.steps.extend(self._way(self.mode, wanted))
        after = tuple(self.session.modes) if self.session.moves(command.strip()) else (wanted,)
        self.steps.append(_DialogStep(command, after, kept=True))
        return self._begin()

    def rise(self) -> list[DialogEvent]:
        """Goes to the privileged mode, where the dialect has one and the session is not in it."""
        raised = self.session.raised
        if not raised or self.mode == raised:
            return []
        self.steps.extend(self._way(self.mode or "", raised))
        return self._begin()

    def waiting_for(self) -> str:
        """In words, what the dialog waits for; for the message when it never comes."""
        if self.mode is None:
            return "its first prompt"
        return f"the end of the answer to '{self.steps[0].line}'" if self.steps else "nothing"

    def _line(self, line: str) -> str | None:
        """A complete line as it counts in the answer; None for what is echo."""
        shown = rendered(line)
        if self.echo:
            squeezed = "".join(shown.split())
            if self.echo.startswith(squeezed) or squeezed.endswith(self.echo):
                self.echo = self.echo[len(squeezed) :]
                return None
            self.echo = ""
        if self.session.pager and shown.lstrip().startswith(self.session.pager):
            shown = shown.lstrip().removeprefix(self.session.pager).lstrip()
        return shown + "\n"

    def _at_the_end(self) -> list[DialogEvent]:
        """Looks at the line that has not ended: a pager, or the prompt that ends the step."""
        if not self.steps or self.pieces.length > LONGEST_TAIL:
            return []
        shown = rendered(self.pieces.tail)
        if self.session.pager and shown.rstrip().endswith(self.session.pager):
            self.pieces.clear()
            return [Send(self.session.more)]
        step = self.steps[0]
        if self.mode is None and _PASSWORD.search(shown):
            raise LoginRefused(
                f"after the login it asks {shown.strip()[-60:]!r}: has the password expired? Log in by hand"
            )
        if step.asks and re.fullmatch(step.asks, shown.strip()):
            return self._tell_secret()
        if step.asks and self.mode and self._is_prompt(self.mode, shown):
            raise LoginRefused(f"the secret for '{step.modes[0]}' was refused, or there is none")
        mode = next((name for name in step.modes if self._is_prompt(name, shown)), None)
        return [] if mode is None else self._ended(step, mode)

    def _tell_secret(self) -> list[DialogEvent]:
        if self.secret is None:
            raise LoginRefused("it asks for a secret to raise the session; the inventory has none ('raise:')")
        if self.answered_secret:
            raise LoginRefused("it refused the secret to raise the session")
        self.answered_secret = True
        self.pieces.clear()
        return [Send(self.secret + "\n", secret=True)]

    def _is_prompt(self, name: str, shown: str) -> bool:
        host = self.hosts.get(name)
        pattern = self.session.modes[name].prompt.replace("{host}", re.escape(host) if host else _ANY_HOST)
        match = re.fullmatch(pattern, shown.rstrip())
        if match is None:
            return False
        if host is None:
            self.hosts[name] = match.group("host")
        return True

    def reaches(self, mode: str) -> bool:
        """Whether there is a way to a mode from here."""
        try:
            return self.mode is not None and (not mode or self._way(self.mode, mode) is not None)
        except NotUnderstood:
            return False

    def _ended(self, step: _DialogStep, mode: str) -> list[DialogEvent]:
        self.prompt = rendered(self.pieces.tail).strip()
        self.steps.popleft()
        self.pieces.clear()
        self.echo = ""
        first, arrived = self.mode is None, mode != self.mode
        self.mode, self.first = mode, self.first or mode
        if arrived:
            prepare = [_DialogStep(line, (mode,)) for line in self.session.modes[mode].prepare]
            self.steps.extendleft(reversed(prepare))
        events: list[DialogEvent] = [Ready(mode)] if first else []
        if step.kept:
            events.append(Done(step.line or ""))
        return events + self._begin()

    def _begin(self) -> list[DialogEvent]:
        if not self.steps or self.steps[0].line is None:
            return []
        line = self.steps[0].line
        if self.steps[0].kept and self.session.renames(line):
            self.hosts.clear()
        self.echo = "".join(line.split())
        return [Send(line + "\n")]

    def _way(self, here: str, there: str) -> list[_DialogStep]:
        """The steps from one mode to another: up to what both have above them, and down again.

        The mode that the login gave is never left upwards: that would end the session.
        """
        modes = self.session.modes
        if there not in modes:
            raise NotUnderstood(f"this dialect has no mode '{there}'; it has {', '.join(modes)}")
        up, down = _chain(modes, here), _chain(modes, there)
        common = next((name for name in up if name in down), None)
        climbs = up[: up.index(common)] if common else []
        descents = down[: down.index(common)] if common else []
        if common is None or any(not modes[name].leave or name == self.first for name in climbs):
            raise NotUnderstood(f"this login gives no way from '{here}' to '{there}'")
        return [
            *(_DialogStep(modes[name].leave, (modes[name].above,)) for name in climbs),
            *(_DialogStep(modes[name].enter, (name,), asks=modes[name].asks) for name in reversed(descents)),
        ]

    @property
    def settled(self) -> bool:
        """Whether nothing is under way."""
        return not self.steps


def _chain(modes: dict[str, Mode], name: str) -> list[str]:
    chain = [name]
    while modes[chain[-1]].above:
        chain.append(modes[chain[-1]].above)
    return chain
