"""A device's command line as text in, text out: echo, prompts, modes, paging. No I/O.

An `frr` device is a Linux host: its login gives a shell, and `vtysh` leads from there to the routing daemons. An
`ios` device has the one command line.
"""

from __future__ import annotations

import shlex

from nogging.standin import frr, ios
from nogging.standin.configure import Context, Refused, configure, shell
from nogging.standin.model import IPv4, Network, Show, SimulatedDevice
from nogging.standin.saved_point import SavedPoint

PAGE = 24
_MORE = "--More--"
_ERASE = "\b" * len(_MORE) + " " * len(_MORE) + "\b" * len(_MORE)


class Terminal:
    """One session on one device. `type` takes what was typed and gives what the terminal shows for it."""

    def __init__(self, network: Network, device: SimulatedDevice, user: str, raising: str | None = None) -> None:
        self.network, self.device, self.user, self.raising = network, device, user, raising
        self.mode = "shell" if device.dialect == "frr" else ("exec" if raising is None else "user")
        self.asking = False
        self.context = Context(network, device)
        self.typed = ""
        self.pending: list[str] = []
        self.page = PAGE if device.dialect == "ios" else 0
        self.closed = False

    def greet(self) -> str:
        return f"\r\n{self.device.name}, Teal Sound Ferries (a stand-in)\r\n\r\n{self.prompt}"

    @property
    def prompt(self) -> str:
        if self.mode == "shell":
            return f"{self.user}@{self.device.name}:~$ "
        if self.mode == "configure":
            return f"{self.device.name}({self.context.section})# "
        return f"{self.device.name}{'>' if self.mode == 'user' else '#'} "

    def type(self, text: str) -> str:
        """What the terminal shows after this was typed."""
        shown = ""
        for character in text:
            if self.pending:
                shown += _ERASE + (self._next_page() if character in " \r\n" else self._stop_paging())
            elif character in "\r\n":
                line, self.typed = self.typed, ""
                shown += "\r\n" + self._answer(line)
            elif character == "\x03":
                self.typed = ""
                shown += "^C\r\n" + self.prompt
            elif character in "\x7f\b":
                shown += "\b \b" * bool(self.typed)
                self.typed = self.typed[:-1]
            else:
                self.typed += character
                shown += "" if self.asking else character
        return shown

    def once(self, command: str) -> str:
        """One command without a session, as a login's shell would run it."""
        try:
            words = shlex.split(command) if self.device.dialect == "frr" else [command]
        except ValueError:
            return "-bash: unexpected end of line\n"
        if words[:2] == ["vtysh", "-c"] and len(words) == 3:
            self.mode, was = "vtysh", self.mode
            try:
                return self.run(words[2])
            finally:
                self.mode = was
        return self.run(command)

    def _answer(self, line: str) -> str:
        if self.asking:
            self.asking = False
            if line == self.raising:
                self.mode = "exec"
            return ("" if self.mode == "exec" else "% Bad secrets\r\n\r\n") + self.prompt
        if line.strip() == "enable" and self.mode == "user":
            self.asking = True
            return "Password: "
        answer = self.run(line.strip())
        lines = answer.replace("\n", "\r\n").splitlines(keepends=True)
        if self.closed:
            return "".join(lines)
        if self.page and len(lines) > self.page and self.mode != "configure":
            self.pending = lines
            return self._next_page()
        return "".join(lines) + self.prompt

    def _next_page(self) -> str:
        now, self.pending = self.pending[: self.page - 1], self.pending[self.page - 1 :]
        return "".join(now) + (_MORE if self.pending else self.prompt)

    def _stop_paging(self) -> str:
        self.pending = []
        return self.prompt

    def run(self, line: str) -> str:
        """Carries out one line in the present mode; what it prints."""
        if not line:
            return ""
        if self.mode == "configure":
            return self._configure(line)
        return self._shell(line) if self.mode == "shell" else self._exec(line)

    def _shell(self, line: str) -> str:
        if line in ("exit", "logout"):
            self.closed = True
            return ""
        if line == "vtysh":
            self.mode = "vtysh"
            return f"\nHello, this is FRRouting (version {self.device.release}).\n\n"
        if line.startswith("vtysh -c "):
            return self.once(line)
        if line.startswith("export "):
            return ""
        if line == "cat /etc/frr/frr.conf" and self.device.stored:
            return self.device.stored
        if line.startswith("ping "):
            return self._echoes(line.split()[-1], int(line.partition(" -c ")[2].partition(" ")[0] or 1))
        if line.startswith("traceroute "):
            to = line.split()[-1]
            hops = "".join(f" {n}  {f'{hop}  {n * 0.05:.3f} ms' if hop else '*'}\n" for n, hop in self._traced(to))
            return f"traceroute to {to} ({to}), 20 hops max, 60 byte packets\n{hops}"
        if line in frr.SHELL:
            return self._shown(frr.SHELL[line])
        try:
            shell(self.network, self.device, line)
        except Refused:
            return f"-bash: {line.split()[0]}: command not found\n"
        return ""

    def _exec(self, line: str) -> str:
        words = " ".join(line.split())
        dialect = frr if self.mode == "vtysh" else ios
        if words in ("exit", "quit"):
            self.closed = self.mode in ("exec", "user")
            self.mode = "shell" if self.mode == "vtysh" else self.mode
            return ""
        if words == "disable" and self.mode == "exec" and self.raising is not None:
            self.mode = "user"
            return ""
        if words == "configure terminal" and self.mode != "user":
            self.mode, self.context = "configure", Context(self.network, self.device)
            return "" if dialect is frr else "Enter configuration commands, one per line.  End with CNTL/Z.\n"
        if dialect is ios and words.startswith("configure ") and self.mode == "exec":
            return self._timed(words.split()[1:])
        if words == "write memory" and self.mode != "user":
            self.device.stored = self._shown(dialect.SHOWS["show running-config"])
            saved = "Configuration saved to /etc/frr/frr.conf\n" if dialect is frr else "Building configuration...\n"
            return saved + "[OK]\n"
        if words.startswith("terminal "):
            return self._terminal(words)
        if words.startswith(("clear bgp ", "clear ip bgp ")):
            return self._clear(words.split()[-1])
        if dialect is ios and words.startswith("ping "):
            return self._ios_echoes(words.split()[1], int(words.partition(" repeat ")[2].partition(" ")[0] or 5))
        if dialect is ios and words.startswith("traceroute "):
            to = words.split()[1]
            hops = "".join(f"  {n} {f'{hop} {n} msec' if hop else ' * '}\n" for n, hop in self._traced(to))
            return f"Type escape sequence to abort.\nTracing the route to {to}\n{hops}"
        shows = dialect.show_for(words)
        return self._shown(shows) if shows else self._unknown(words)

    def _timed(self, words: list[str]) -> str:
        """A configuration that is taken back unless it is confirmed in time."""
        point = self.device.saved_point
        match words:
            case ["terminal", "revert", "timer", minutes] if minutes.isdigit() and point is None:
                self.device.saved_point = SavedPoint(self.network, self.device, int(minutes) * self.network.minute)
                return self._exec("configure terminal")
            case ["confirm"] if point is not None:
                point.confirm()
                return ""
            case ["revert", "now"] if point is not None:
                point.go_back()
                return ""
            case ["terminal", "revert", "timer", _] if point is not None:
                return "%A Rollback Confirmed Change is pending already\n"
            case ["confirm"] | ["revert", "now"]:
                return "%No Rollback Confirmed Change pending\n"
        return self._unknown(words[-1])

    def _shown(self, show: Show) -> str:
        with self.network.lock:
            return show(self.network, self.device, self.network.clock())

    def _reaches(self, text: str) -> bool:
        try:
            return self.network.answers(self.device.name, IPv4(text))
        except ValueError:
            return False

    def _traced(self, text: str) -> list[tuple[int, IPv4 | None]]:
        try:
            return list(enumerate(self.network.traced(self.device.name, IPv4(text)), 1))
        except ValueError:
            return [(1, None)]

    def _echoes(self, to: str, sent: int) -> str:
        received = sent * self._reaches(to)
        times = "rtt min/avg/max/mdev = 0.041/0.052/0.061/0.008 ms\n" if received else ""
        return (
            f"PING {to} ({to}) 56(84) bytes of data.\n\n--- {to} ping statistics ---\n{sent} packets transmitted, "
            f"{received} received, {0 if received else 100}% packet loss, time {sent - 1}ms\n{times}"
        )

    def _ios_echoes(self, to: str, sent: int) -> str:
        received = sent * self._reaches(to)
        times = ", round-trip min/avg/max = 1/1/2 ms" if received else ""
        return (
            f"Type escape sequence to abort.\nSending {sent}, 100-byte ICMP Echos to {to}, timeout is 1 seconds:\n"
            f"{('!' if received else '.') * sent}\n"
            f"Success rate is {100 if received else 0} percent ({received}/{sent}){times}\n"
        )

    def _terminal(self, words: str) -> str:
        parts = words.split()
        if parts[1] == "length" and parts[-1].isdigit():
            self.page = int(parts[-1])
        return ""

    def _clear(self, which: str) -> str:
        try:
            self.network.bounce(self.device.name, None if which == "*" else IPv4(which))
        except ValueError:
            return self._unknown(which)
        return ""

    def _configure(self, line: str) -> str:
        if line in ("end", "\x1a"):
            self.mode = "vtysh" if self.device.dialect == "frr" else "exec"
            return ""
        if line == "exit":
            leave = self.context.section == "config"
            self.context = Context(self.network, self.device)
            return self._configure("end") if leave else ""
        try:
            configure(self.context, line)
        except Refused:
            return self._unknown(line)
        return ""

    def _unknown(self, line: str) -> str:
        return (frr.UNKNOWN if self.device.dialect == "frr" else ios.UNKNOWN).format(line)
