"""The command line over Telnet (RFC 854), for consoles and terminal servers.

Options are negotiated without wanting any: the other side may echo (RFC 857) and leave out go-aheads (RFC 858), and
everything else is declined. The login, which SSH has in its protocol, is a conversation here: a request for the user,
one for the password, and then whatever the dialog takes for a prompt. Nothing is encrypted, and no host is verified:
it is only used where the inventory says so.
"""

from __future__ import annotations

import asyncio
import codecs
import contextlib
import re

from nogging.devices.bounds import GREETING, MOST, OPTION, Amount
from nogging.devices.dialog import LONGEST_TAIL
from nogging.devices.session import LineSession, Log
from nogging.devices.ssh import ANSWER_WITHIN, CONNECT_WITHIN, Credentials, cause, place
from nogging.errors import LoginRefused, Lost, Silent, TooMuch, Unreachable
from nogging.inventory import Device

SE, SB, WILL, WONT, DO, DONT, IAC = 240, 250, 251, 252, 253, 254, 255
ECHO, SUPPRESS_GO_AHEAD = 1, 3
_WELCOME = frozenset({ECHO, SUPPRESS_GO_AHEAD})
_USER = re.compile(r"(?:user ?name|login|user)\s*:\s*$", re.IGNORECASE)
_PASSWORD = re.compile(r"password\s*:\s*$", re.IGNORECASE)
_READ = 65536


class Negotiation:
    """Takes the commands out of what arrives, and says what to answer. No I/O; a command may arrive in pieces."""

    def __init__(self) -> None:
        self.pending = b""
        self.agreed: set[int] = set()

    def receive(self, data: bytes) -> tuple[bytes, bytes]:
        """The data without the commands in it, and the answer to those."""
        data, self.pending = self.pending + data, b""
        plain, answer, at = bytearray(), bytearray(), 0
        while at < len(data):
            if data[at] != IAC:
                end = data.find(IAC, at)
                end = len(data) if end < 0 else end
                plain += data[at:end]
                at = end
                continue
            length = self._length(data, at)
            if length is None:
                self.pending = data[at:]
                if len(self.pending) > OPTION:
                    raise TooMuch(f"a negotiation of Telnet is longer than {OPTION} octets")
                break
            if data[at + 1] == IAC:
                plain.append(IAC)
            elif data[at + 1] in (WILL, DO):
                answer += self._answer(data[at + 1], data[at + 2])
            at += length
        return bytes(plain).replace(b"\r\0", b"\r"), bytes(answer)

    def _length(self, data: bytes, at: int) -> int | None:
        """How long the command is that begins here; None where not all of it has arrived."""
        if at + 1 >= len(data):
            return None
        if data[at + 1] == SB:
            end = data.find(bytes((IAC, SE)), at)
            return None if end < 0 else end + 2 - at
        if data[at + 1] in (WILL, WONT, DO, DONT):
            return 3 if at + 2 < len(data) else None
        return 2

    def _answer(self, verb: int, option: int) -> bytes:
        if verb == DO:
            return bytes((IAC, WILL if option == SUPPRESS_GO_AHEAD else WONT, option))
        if option not in _WELCOME:
            return bytes((IAC, DONT, option))
        if option in self.agreed:
            return b""
        self.agreed.add(option)
        return bytes((IAC, DO, option))


class TelnetLink:
    """Text both ways over a Telnet connection."""

    def __init__(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self.reader, self.writer = reader, writer
        self.negotiation = Negotiation()
        self.decoder = codecs.getincrementaldecoder("utf-8")("backslashreplace")
        self.unseen = ""

    async def read(self) -> str:
        text, self.unseen = self.unseen, ""
        while not text:
            try:
                data = await self.reader.read(_READ)
            except OSError as error:
                raise Lost(f"the connection ended: {error}") from None
            if not data:
                return self.decoder.decode(b"", final=True)
            plain, answer = self.negotiation.receive(data)
            if answer:
                self.writer.write(answer)
            text = self.decoder.decode(plain)
        return text

    def write(self, text: str) -> None:
        self.writer.write(text.replace("\n", "\r\n").encode().replace(bytes((IAC,)), bytes((IAC, IAC))))

    async def close(self) -> None:
        self.writer.close()
        with contextlib.suppress(OSError, TimeoutError):
            await asyncio.wait_for(self.writer.wait_closed(), 2)


async def connect_telnet(device: Device, credentials: Credentials, log: Log | None = None) -> LineSession:
    """Opens a session on a device; a `DeviceError` names the stage at which that failed."""
    within = device.settings.connect_within or CONNECT_WITHIN
    try:
        reader, writer = await asyncio.wait_for(asyncio.open_connection(device.address, device.port), within)
    except TimeoutError:
        raise Unreachable(f"no Telnet connection to {place(device)} within {within:g} s") from None
    except OSError as error:
        raise Unreachable(f"{place(device)}: {cause(error)}") from None
    link = TelnetLink(reader, writer)
    try:
        await asyncio.wait_for(_login(link, device, credentials), within)
        answer_within = device.settings.answer_within or ANSWER_WITHIN
        most = device.settings.answer_most or MOST
        session = LineSession(link, device.spoken, answer_within, credentials.raising, log, most)
        await session.open()
    except TimeoutError:
        await link.close()
        raise Silent(f"{place(device)} did not get to the end of the login within {within:g} s") from None
    except BaseException:
        await link.close()
        raise
    return session


async def _login(link: TelnetLink, device: Device, credentials: Credentials) -> None:
    """Answers the requests for user and password, each once; what comes after is left for the dialog."""
    said, asked = "", False
    amount = Amount("what it says at the login", GREETING)
    while True:
        text = await link.read()
        if not text:
            raise LoginRefused(f"{place(device)} ended the connection at the login")
        amount.add(len(text))
        said = (said + text)[-LONGEST_TAIL:]
        if _USER.search(said):
            if asked:
                raise LoginRefused(f"{place(device)} refused the login of '{device.user}'; look at user and password")
            link.write(f"{device.user or ''}\n")
            said, asked = "", True
        elif _PASSWORD.search(said):
            link.write(f"{credentials.password or ''}\n")
            await _after_password(link, device)
            return


async def _after_password(link: TelnetLink, device: Device) -> None:
    said = ""
    amount = Amount("what it says after the login", GREETING)
    while True:
        text = await link.read()
        amount.add(len(text))
        if not text or _USER.search(said + text) or _PASSWORD.search(said + text):
            raise LoginRefused(f"{place(device)} refused the login of '{device.user}'; look at user and password")
        said = (said + text)[-LONGEST_TAIL:]
        if said.strip() and not said.endswith("\n"):
            link.unseen = said
            return
