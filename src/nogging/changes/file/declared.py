"""The change file: its form, and what can be checked of it before any device is asked."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field, field_validator, model_validator

from nogging.changes.file.intents import address_of, intent_of
from nogging.dialects.declared import load_dialect
from nogging.errors import nearest
from nogging.files import Source, Strict, load
from nogging.inventory import Inventory, Secret, load_inventory
from nogging.judging.expectations import ExpectModel, WithStepsModel
from nogging.records import KINDS

Seconds = Annotated[float, Field(gt=0, le=86400)]
Turns = Literal["single", "batches", "together"]


class GateModel(Strict):
    """What must hold before anything is touched. `unchanged_since` is a capture: no device's configuration may differ
    from what it was then. A device of the inventory that does not answer keeps the gate shut, unless `missing` ones
    are allowed; and so does what differs, or cannot be compared, between two captures with nothing done in between,
    unless that is allowed as `restless`."""

    expect: tuple[ExpectModel, ...] = ()
    unchanged_since: str | None = None
    missing: Literal["allowed"] | None = None
    restless: Literal["allowed"] | None = None


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
    url: Text
    headers: dict[str, Text] = Field(default_factory=dict)
    body: Any = None
    within: Seconds = 30.0

    @property
    def texts(self) -> Texts:
        return _texts(self.url, self.headers)


class CallModel(Strict):
    """Something on this machine, or behind an address: exactly one of a command and a request; `undo` is another."""

    command: tuple[str, ...] | None = None
    http: HttpModel | None = None
    within: Seconds = 60.0
    undo: CallModel | None = None

    @model_validator(mode="after")
    def one(self) -> CallModel:
        if (self.command is None) == (self.http is None):
            raise ValueError("a call is either a 'command' or 'http'")
        return self

    @property
    def told(self) -> str:
        return f"{self.http.method} {_shown(self.http.url)}" if self.http is not None else " ".join(self.command or ())


class WaitModel(Strict):
    """A person who confirms, or expectations that come to hold. `undo` is what the person is asked on the way back."""

    person: str | None = None
    undo: str | None = None
    expect: tuple[ExpectModel, ...] = ()
    at_most: Seconds = 300.0
    every: Seconds = 5.0

    @model_validator(mode="after")
    def one(self) -> WaitModel:
        if (self.person is None) == (not self.expect):
            raise ValueError("what is waited for is either a 'person' or what is in 'expect'")
        if self.undo is not None and self.person is None:
            raise ValueError("'undo' is what a 'person' is asked to take back")
        return self


class StepModel(Strict):
    """One step: lines to `send`, an `intent`, a `call`, or something to `await`. `on` says which devices; `only` are
    the sorts of intent of which nothing may be there but what stands in the step; `undo` are lines that take back what
    was sent, where that cannot be known from the running configuration."""

    title: str = ""
    on: str | None = None
    turns: Turns = "single"
    batch: Annotated[int, Field(ge=1)] = 10
    send: str | tuple[str, ...] | None = None
    template: str | None = None
    intent: tuple[dict[str, Any], ...] = ()
    only: tuple[str, ...] = ()
    mode: str = ""
    undo: tuple[str, ...] = ()
    call: CallModel | None = None
    awaited: WaitModel | None = Field(default=None, alias="await")

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
        unlisted = next((word for word in self.only if word not in LISTED), None)
        if unlisted is not None:
            raise ValueError(f"'only' is of {', '.join(LISTED)}, and not of '{unlisted}'")
        if self.only and given[0] != "intent":
            raise ValueError("'only' goes with 'intent'")
        if given[0] in ("call", "await") and self.on is not None:
            raise ValueError(f"'{given[0]}' is of no device; leave 'on' out")
        return self

    @field_validator("intent")
    @classmethod
    def known(cls, given: tuple[dict[str, Any], ...]) -> tuple[dict[str, Any], ...]:
        for one in given:
            if not any("{{" in str(value) for value in one.values()):
                intent_of(one)
        return given


LISTED = ("ntp_server", "log_host", "name_server", "snmp_community")
"""The sorts of intent that are lists, of which there may be too many."""
ACTIONS = {"send": "send", "template": "template", "intent": "intent", "call": "call", "await": "awaited"}
"""What a step may do, by its key, with the field that it is read into."""


class SettlingModel(Strict):
    """Captures of some kinds, `every` so many seconds, until nothing moved for `quiet` seconds, `at_most` so long. It
    lasts longer than the longest dead or hold time of the neighbors that the change can touch, unless `timers` says how
    many seconds these get, or `at_most` less than they need."""

    kinds: tuple[str, ...] = ("neighbor", "route")
    quiet: Seconds = 10.0
    at_most: Seconds = 180.0
    every: Seconds = 2.0
    timers: float | None = Field(default=None, ge=0)

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
    to: str
    from_: str | None = Field(default=None, alias="from")
    tcp: Annotated[int, Field(gt=0, lt=65536)] | None = None
    interval: Annotated[float, Field(ge=0.1, le=60)] = 1.0
    at_most: Annotated[float, Field(ge=0)] | None = None

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
    end: datetime | None = None
    back_out_by: datetime | None = None

    @field_validator("start", "end", "back_out_by")
    @classmethod
    def with_offset(cls, moment: datetime | None) -> datetime | None:
        if moment is not None and moment.tzinfo is None:
            raise ValueError("say which time this is: with an offset, such as 2026-11-24T02:00:00Z")
        return moment

    @model_validator(mode="after")
    def in_order(self) -> WindowModel:
        given = [one for one in (self.start, self.back_out_by, self.end) if one is not None]
        if given != sorted(given):
            raise ValueError("'start', 'back_out_by' and 'end' follow each other in time")
        return self


class MailLogin(Strict):
    user: str
    password: Secret


class NoticeModel(Strict):
    """A message for somebody `on` some endings: to a web address, or by mail; `tls` is how mail is made secret on its
    way (RFC 3207, RFC 8314)."""

    on: tuple[Literal["pass", "fail", "unproven", "recovered", "always"], ...] = ("always",)
    http: Text | None = None
    headers: dict[str, Text] = Field(default_factory=dict)
    mail: str | None = None
    sender: str = "nogging@localhost"
    server: str = "localhost:25"
    tls: Literal["starttls", "implicit"] | None = None
    login: MailLogin | None = None
    template: str | None = None

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
    """A change file is a file of expectations that says as well how what is expected comes about."""

    inventory: str | None = None
    gate: GateModel = GateModel()
    steps: tuple[StepModel, ...] = ()
    settling: SettlingModel = SettlingModel()
    probes: tuple[ProbeModel, ...] = ()
    lists: dict[str, tuple[Any, ...]] = Field(default_factory=dict)
    on_failure: OnFailure = "back out"
    reach_within: Seconds = 60.0
    confirm_within: Seconds | None = None
    """Each device goes back by itself unless the change passes within this time, where its dialect knows how."""
    save: bool = True
    window: WindowModel = WindowModel()
    notices: tuple[NoticeModel, ...] = ()


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
    for n, kind in enumerate(model.settling.kinds):
        if kind not in KINDS:
            raise source.error(("settling", "kinds", n), f"unknown kind '{kind}'{nearest(kind, KINDS)}")
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
