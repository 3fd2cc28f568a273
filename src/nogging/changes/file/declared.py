"""The change file: its form, and what can be checked of it before any device is asked."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field, field_validator, model_validator

from nogging.changes.file.intents import WrittenIntent, address_of, well_formed
from nogging.changes.file.sharing import with_included
from nogging.dialects.declared import load_dialect
from nogging.errors import nearest
from nogging.files import NotEmpty, Source, Sql, Strict, apart, load, one_of, together, with_rules
from nogging.inventory import Inventory, Seconds, Secret, load_inventory
from nogging.judging.expectations import ExpectModel, KindName, WithStepsModel

Turns = Literal["single", "batches", "together"]


class GateModel(Strict):
    """What must hold before anything is touched. `unchanged_since` is a capture: no device's configuration may differ
    from what it was then. A device of the inventory that does not answer keeps the gate shut, unless `missing` ones
    are allowed; and so does what differs, or cannot be compared, between two captures with nothing done in between,
    unless that is allowed as `restless`."""

    expect: tuple[ExpectModel, ...] = ()
    """What must hold before anything is touched."""
    unchanged_since: str | None = None
    """The capture since which no configuration may have changed. As `captures/evening`."""
    missing: Literal["allowed"] | None = None
    """That devices of the inventory may be missing."""
    restless: Literal["allowed"] | None = None
    """That something may vary between two captures with nothing done in between."""


Text = str | Secret
"""Something as it stands, or a secret by where it is."""
Texts = list[tuple[str, Text]]
"""What may be secret in something that is sent, each with its name for a prompt."""


def _texts(url: Text, headers: dict[str, Text]) -> Texts:
    return [("the web address", url), *((f"the header {name}", value) for name, value in headers.items())]


def _shown(url: Text) -> str:
    return url if isinstance(url, str) else "a web address that is secret"


class HttpModel(Strict):
    method: Literal["GET", "POST", "PUT", "PATCH", "DELETE"] = "POST"
    """The method of the request. As `POST`."""
    url: Text
    """The address, or where it is if it is secret. As `https://tickets.example/notes`."""
    headers: dict[str, Text] = Field(default_factory=dict)
    """Headers, each as it stands or by where its secret is. As `{Authorization: {environment: TOKEN}}`."""
    body: Any = None
    """What is sent, as JSON. As `{state: begun}`."""
    within: Seconds = 30.0
    """In how many seconds all of it has to be done. As `30`."""

    @property
    def texts(self) -> Texts:
        return _texts(self.url, self.headers)


class CallModel(Strict):
    """Something on this machine, or behind an address: exactly one of a command and a request; `undo` is another."""

    model_config = with_rules(one_of("command", "http"))
    command: tuple[str, ...] | None = None
    """A command on this machine, a word each; it runs without a shell. As `[./drain, gannet]`."""
    http: HttpModel | None = None
    """A request."""
    within: Seconds = 60.0
    """In how many seconds the command has to be done. As `60`."""
    undo: CallModel | None = None
    """What takes it back."""

    @model_validator(mode="after")
    def one(self) -> CallModel:
        if (self.command is None) == (self.http is None):
            raise ValueError("a call is either a 'command' or 'http'")
        return self

    @property
    def told(self) -> str:
        return f"{self.http.method} {_shown(self.http.url)}" if self.http is not None else " ".join(self.command or ())


class WaitModel(Strict):
    """A person who confirms, or expectations that come to hold."""

    model_config = with_rules(one_of("person", "expect"), together("undo", "person"))
    person: str | None = None
    """What a person is asked to confirm. As `The cable is in port 4`."""
    undo: str | None = None
    """What the person is asked on the way back. As `Put the cable back into port 3`."""
    expect: Annotated[tuple[ExpectModel, ...], NotEmpty] = ()
    """What has to come to hold."""
    at_most: Seconds = 300.0
    """How many seconds it may take. As `300`."""
    every: Seconds = 5.0
    """Every how many seconds it is looked. As `5`."""

    @model_validator(mode="after")
    def one(self) -> WaitModel:
        if (self.person is None) == (not self.expect):
            raise ValueError("what is waited for is either a 'person' or what is in 'expect'")
        if self.undo is not None and self.person is None:
            raise ValueError("'undo' is what a 'person' is asked to take back")
        return self


ACTIONS = {"send": "send", "template": "template", "intent": "intent", "call": "call", "await": "awaited"}
"""What a step may do, by its key, with the field that it is read into."""
ListedIntent = Literal["ntp_server", "log_host", "name_server", "snmp_community"]
"""The sorts of intent that are lists, of which there may be too many."""


class StepModel(Strict):
    """One step: lines to `send`, an `intent`, a `call`, or something to `await`."""

    model_config = with_rules(
        one_of(*ACTIONS),
        together("only", "intent"),
        *(apart(name, "on") for name in ("call", "await")),
    )
    title: str = ""
    """What the step does, in a sentence. As `The far end`."""
    on: Sql | None = None
    """On which devices: a predicate over names and labels. As `name = 'gannet-r1'`."""
    turns: Turns = "single"
    """Whether its devices take turns one by one, in batches, or go together."""
    batch: Annotated[int, Field(ge=1)] = 10
    """How many devices a batch has. As `10`."""
    send: Annotated[str, NotEmpty] | Annotated[tuple[str, ...], NotEmpty] | None = None
    """Lines to send, in one text or a list. As `[interface eth3, shutdown]`."""
    template: Annotated[str, NotEmpty] | None = None
    """A file of lines, filled for each device, beside the change file. As `span.j2`."""
    intent: Annotated[tuple[WrittenIntent, ...], NotEmpty] = ()
    """What is to be, said for every dialect; each is known by its first key. `include` takes those of a file beside
    this one, or of a package. As `[{interface: eth4, mtu: 9000}]`, `[{include: berths/servers.yaml}]`."""
    only: tuple[ListedIntent, ...] = ()
    """Sorts of intent of which nothing may be there but what stands in the step. As `[ntp_server]`."""
    mode: str = ""
    """The mode of the session in which lines are sent, where it is not the usual one. As `shell`."""
    undo: tuple[str, ...] = ()
    """Lines that take back what was sent, where that cannot be known. As `[interface eth3, no shutdown]`."""
    call: CallModel | None = None
    """A command or a request, of no device."""
    awaited: WaitModel | None = Field(default=None, alias="await")
    """A person, or expectations, to wait for."""

    @property
    def action(self) -> str:
        return next(name for name, field in ACTIONS.items() if getattr(self, field))

    @property
    def undone_by(self) -> str:
        """What takes back a step that is of no device, as a person is told; nothing where nothing is known."""
        undo = self.call.undo if self.call is not None else None
        if undo is not None:
            return undo.told
        return (self.awaited.undo if self.awaited is not None else None) or ""

    @model_validator(mode="after")
    def one(self) -> StepModel:
        given = [name for name, field in ACTIONS.items() if getattr(self, field)]
        if len(given) != 1:
            raise ValueError(f"a step has exactly one of: {', '.join(ACTIONS)}")
        if self.only and given[0] != "intent":
            raise ValueError("'only' goes with 'intent'")
        if given[0] in ("call", "await") and self.on is not None:
            raise ValueError(f"'{given[0]}' is of no device; leave 'on' out")
        return self

    @field_validator("intent")
    @classmethod
    def known(cls, given: tuple[dict[str, Any], ...]) -> tuple[dict[str, Any], ...]:
        return well_formed(given)


class SettlingModel(Strict):
    """Captures of some kinds, `every` so many seconds, until nothing moved for `quiet` seconds, `at_most` so long. It
    lasts longer than the longest dead or hold time of the neighbors that the change can touch, unless `timers` says how
    many seconds these get, or `at_most` less than they need."""

    kinds: tuple[KindName, ...] = ("neighbor", "route")
    """The kinds that are captured again and again. As `[neighbor, route]`."""
    quiet: Seconds = 10.0
    """For how many seconds nothing may move. As `10`."""
    at_most: Seconds = 180.0
    """How many seconds it may last. As `180`."""
    every: Seconds = 2.0
    """Every how many seconds it is looked. As `2`."""
    timers: float | None = Field(default=None, ge=0)
    """How many seconds dead and hold times of neighbors get, instead of the longest that is known. As `40`."""

    @model_validator(mode="after")
    def can_end(self) -> SettlingModel:
        if self.quiet >= self.at_most:
            raise ValueError(f"nothing is quiet for {self.quiet:g} s within {self.at_most:g} s")
        return self


class ProbeModel(Strict):
    """Packets through the whole window, to an address: ICMP echoes, or TCP connections to a port; from this machine,
    or from a device. `at_most` is the longest outage, in seconds, that the change may bring."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)
    title: str = ""
    """What it stands for, in a sentence. As `The harbour office reaches Gannet`."""
    to: str
    """The address. As `198.51.100.42`."""
    from_: str | None = Field(default=None, alias="from")
    """The device that sends; without it, this machine. As `mole-r1`."""
    tcp: Annotated[int, Field(gt=0, lt=65536)] | None = None
    """The port to connect to; without it, ICMP echoes. As `443`."""
    interval: Annotated[float, Field(ge=0.1, le=60)] = 1.0
    """The seconds from one to the next. As `1`."""
    at_most: Annotated[float, Field(ge=0)] | None = None
    """The longest outage that the change may bring, in seconds. As `3`."""

    @model_validator(mode="after")
    def fine_enough(self) -> ProbeModel:
        if self.at_most and self.at_most < self.interval:
            raise ValueError(f"a probe every {self.interval:g} s cannot tell an outage of {self.at_most:g} s")
        if self.from_ is not None:
            address_of(self.to)  # a device need not know names
        return self


class WindowModel(Strict):
    """When the change may be made (ISO 8601, with an offset), and the last moment at which backing out may begin."""

    start: datetime | None = None
    """From when the change may be made, ISO 8601 with an offset. As `2026-11-24T02:00:00Z`."""
    end: datetime | None = None
    """Until when it has to be done. As `2026-11-24T04:00:00Z`."""
    back_out_by: datetime | None = None
    """The last moment at which backing out may begin. As `2026-11-24T03:30:00Z`."""

    @field_validator("start", "end", "back_out_by")
    @classmethod
    def with_offset(cls, moment: datetime | None) -> datetime | None:
        if moment is not None and moment.tzinfo is None:
            raise ValueError("say which time this is: with an offset, such as 2026-11-24T02:00:00Z")
        return moment

    @model_validator(mode="after")
    def in_order(self) -> WindowModel:
        given = [moment for moment in (self.start, self.back_out_by, self.end) if moment is not None]
        if given != sorted(given):
            raise ValueError("'start', 'back_out_by' and 'end' follow each other in time")
        return self


class MailLogin(Strict):
    user: str
    """The name to log in with at the mail server. As `noc`."""
    password: Secret
    """Where the password is. As `{environment: MAIL_PASSWORD}`."""


class NoticeModel(Strict):
    """A message for somebody `on` some endings: to a web address, or by mail; `tls` is how mail is made secret on its
    way (RFC 3207, RFC 8314)."""

    model_config = with_rules(one_of("http", "mail"), together("login", "tls"))
    on: tuple[Literal["pass", "fail", "unproven", "recovered", "always"], ...] = ("always",)
    """On which endings somebody is told. As `[fail, unproven]`."""
    http: Text | None = None
    """The web address, or where it is if it is secret. As `https://chat.example/hook`."""
    headers: dict[str, Text] = Field(default_factory=dict)
    """Headers of the request. As `{Authorization: {environment: TOKEN}}`."""
    mail: str | None = None
    """The address that mail goes to. As `noc@teal.example`."""
    sender: str = "nogging@localhost"
    """The address that mail is from. As `nogging@teal.example`."""
    server: str = "localhost:25"
    """The mail server and its port. As `mail.teal.example:587`."""
    tls: Literal["starttls", "implicit"] | None = None
    """How the way to the mail server is made secret. As `starttls`."""
    login: MailLogin | None = None
    """The login at the mail server; over TLS alone."""
    template: str | None = None
    """A file that the message is made from, beside this one. As `message.j2`."""

    @property
    def texts(self) -> Texts:
        if self.http is not None:
            return _texts(self.http, self.headers)
        return [("the login for mail", self.login.password)] if self.login is not None else []

    @property
    def told(self) -> str:
        return self.mail or _shown(self.http or "")

    @model_validator(mode="after")
    def one(self) -> NoticeModel:
        if (self.http is None) == (self.mail is None):
            raise ValueError("a notice goes either to a web address, 'http', or to somebody's 'mail'")
        if self.login is not None and self.tls is None:
            raise ValueError("a 'login' goes over TLS alone; add 'tls: starttls' or 'tls: implicit'")
        return self


OnFailure = Literal["back out", "hold", "ask"]


class ChangeModel(WithStepsModel):
    """A change file: a file of expectations that says as well how what is expected comes about."""

    inventory: str | None = None
    """The inventory, beside the change file. As `inventory.yaml`."""
    gate: GateModel = GateModel()
    """What must hold before anything is touched."""
    steps: tuple[StepModel, ...] = ()
    """What is done, step by step."""
    settling: SettlingModel = SettlingModel()
    """How long it is waited until nothing moves any more."""
    probes: tuple[ProbeModel, ...] = ()
    """Packets that are sent through the whole window."""
    lists: dict[str, tuple[Any, ...]] = Field(default_factory=dict)
    """Lists that templates go through. As `{spans: [eth3, eth4]}`."""
    on_failure: OnFailure = "back out"
    """What is done when a step or the verdict fails. As `back out`."""
    reach_within: Seconds = 60.0
    """In how many seconds a device that was cut off has to be reached again. As `60`."""
    confirm_within: Seconds | None = None
    """Each device goes back by itself unless the change passes within this time, where its dialect knows how."""
    save: bool = True
    """Whether what passed is saved on the devices."""
    window: WindowModel = WindowModel()
    """When the change may be made."""
    notices: tuple[NoticeModel, ...] = ()
    """Who is told how it ended."""


@dataclass(frozen=True)
class Change:
    """A change file that was read and checked, with the inventory that it is about."""

    path: Path
    model: ChangeModel
    source: Source
    inventory: Inventory

    @property
    def title(self) -> str:
        return self.model.title or self.path.stem

    @cached_property
    def named(self) -> frozenset[str]:
        """The words of its file: what sorts of records something may be expected of."""
        return frozenset(re.findall(r"\w+", "\n".join(self.source.lines)))


def load_change(path: str | Path, inventory: Inventory | None = None) -> Change:
    """Reads a change file; a mistake in it is a `FileError` at its place. The inventory is the one given, else the one
    that the file names."""
    path = Path(path)
    model, source = load(path, ChangeModel)
    if not model.steps:
        raise source.error((), "nothing is done in this file; it needs 'steps'")
    if inventory is None:
        if model.inventory is None:
            raise source.error((), "which devices? Name an 'inventory' here, or give --inventory")
        inventory = load_inventory(path.parent / model.inventory)
    steps = [
        step.model_copy(update={"intent": with_included(step.intent, source, ("steps", n, "intent"))})
        for n, step in enumerate(model.steps)
    ]
    model = model.model_copy(update={"steps": tuple(steps)})
    known = [device.name for device in inventory.devices]
    for n, probe in enumerate(model.probes):
        if probe.from_ is None:
            continue
        if probe.from_ not in known:
            raise source.error(("probes", n, "from"), f"no device '{probe.from_}'{nearest(probe.from_, known)}")
        dialect = inventory.device(probe.from_).dialect
        if load_dialect(dialect).ping is None:
            message = f"how {dialect} sends one echo is not known; leave it out to probe from this machine"
            raise source.error(("probes", n, "from"), message)
    return Change(path, model, source, inventory)
