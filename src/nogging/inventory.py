"""The inventory: the devices, their labels, the settings that cascade onto them, and where secrets are.

A YAML file, or a CSV whose headings are the same keys. A setting applies where its predicate holds; later ones win,
key by key; what stands on a device wins over all. A secret is never in the inventory: a mapping says where it is, and
it is fetched when it is needed.
"""

from __future__ import annotations

import csv
import io
import ipaddress
import os
import re
import shlex
import subprocess
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, ConfigDict, Field, field_validator, model_validator

from nogging.dialects.declared import Dialect, dialects, load_dialect
from nogging.dialects.reader_folders import Own
from nogging.errors import FileError, QuestionError, nearest
from nogging.files import Path_, Source, Sql, Strict, load, read_text, validated, with_rules
from nogging.packages import READERS, package
from nogging.predicates import Predicate, PredicateError, Schema, holds, parse
from nogging.records import Field as RecordField
from nogging.records import Nature, Type
from nogging.records.values import interface_spelling, plain

_HOST = re.compile(r"[A-Za-z0-9_]([A-Za-z0-9_.-]{0,251}[A-Za-z0-9_])?")
_OWN = ("name", "address", "port", "dialect")
PORTS = {"netconf": 830, "telnet": 23}
PORT = 22
"""Where no other port is given: SSH's own (RFC 4253, 4), but for these ways (RFC 6242, 3; RFC 854)."""


class Secret(Strict):
    """Where a secret is; exactly one place."""

    model_config = with_rules({"minProperties": 1, "maxProperties": 1}, {"properties": {"prompt": {"const": True}}})
    environment: str | None = None
    """The variable of the environment that holds it. As `TEAL_PASSWORD`."""
    file: str | None = None
    """The file that holds it, readable by its owner alone, beside the inventory. As `password`."""
    keyring: str | None = None
    """The service under which the system's keyring has it. As `teal-sound`."""
    command: str | None = None
    """The command whose first line it is; it runs without a shell. As `secrets get noc`."""
    prompt: bool | None = None
    """That it is asked for, on the terminal."""

    @model_validator(mode="before")
    @classmethod
    def not_in_clear(cls, data: Any) -> Any:
        if not isinstance(data, dict):
            raise ValueError("a secret does not stand here; say where it is, as in {environment: NAME}")
        return data

    @model_validator(mode="after")
    def one_place(self) -> Secret:
        if len(self.model_fields_set) != 1 or self.prompt is False:
            raise ValueError(f"a secret is in one place, one of: {', '.join(Secret.model_fields)}")
        return self

    def fetch(self, folder: Path, what: str, ask: Callable[[str], str] | None = None) -> str:
        """The secret itself. `folder` is where relative files are looked for, `what` names it for a prompt."""
        if self.environment is not None:
            value = os.environ.get(self.environment)
            if value is None:
                raise QuestionError(f"{what}: the environment has no {self.environment}; export it first")
            return value
        if self.file is not None:
            return _secret_file(folder / self.file, what)
        if self.keyring is not None:
            return _from_keyring(self.keyring, what)
        if self.command is not None:
            return _from_command(self.command, folder, what)
        if ask is None:
            raise QuestionError(f"{what}: has to be asked for, and there is no terminal to ask on")
        return ask(what)


def _secret_file(path: Path, what: str) -> str:
    try:
        if path.stat().st_mode & 0o077:
            raise QuestionError(f"{what}: {path} can be read by others; chmod 600 it first")
        return path.read_text().rstrip("\r\n")
    except OSError as error:
        raise QuestionError(f"{what}: {path}: {error.strerror}") from None


def _from_keyring(service: str, what: str) -> str:
    """The system's keyring, by the package of that name, which is installed by those who use it."""
    try:
        import keyring  # type: ignore[import-not-found, unused-ignore]
    except ImportError:
        raise QuestionError(f"{what}: the package 'keyring' is not installed; pip install keyring") from None
    try:
        secret = keyring.get_password(service, what.rpartition(" of ")[2].split()[0])
    except Exception as error:  # every back end has errors of its own
        raise QuestionError(f"{what}: the keyring did not answer: {error}") from None
    if secret is None:
        raise QuestionError(f"{what}: the keyring has nothing for the service '{service}'")
    return str(secret)


def _from_command(command: str, folder: Path, what: str) -> str:
    """The first line of what a command prints; the command runs without a shell, in the inventory's folder."""
    try:
        done = subprocess.run(
            shlex.split(command),
            cwd=folder,
            stdin=subprocess.DEVNULL,
            capture_output=True,
            text=True,
            timeout=60,
            check=False,
        )
    except (OSError, ValueError, subprocess.TimeoutExpired) as error:
        raise QuestionError(f"{what}: the command '{command}' cannot be run: {error}") from None
    if done.returncode or not done.stdout.strip():
        raise QuestionError(f"{what}: the command '{command}' gave no secret (status {done.returncode})")
    return done.stdout.splitlines()[0]


class Login(Strict):
    user: str | None = None
    """The name to log in with. As `noc`."""
    password: Secret | None = None
    """Where the password is. As `{environment: TEAL_PASSWORD}`."""
    key: str | None = None
    """The file of the private key; without it, the agent's keys and the usual files. As `~/.ssh/id_ed25519`."""


class Raise(Strict):
    """The privileged mode is wanted, and this is the secret for it."""

    secret: Secret
    """Where the secret of the privileged mode is. As `{prompt: true}`."""


class Algorithms(Strict):
    """SSH algorithms that a device needs besides the usual ones, by OpenSSH's names (RFC 4253, 7.1)."""

    key_exchange: tuple[str, ...] = ()
    """Key exchange methods. As `[diffie-hellman-group14-sha1]`."""
    host_key: tuple[str, ...] = ()
    """Host key algorithms. As `[ssh-rsa]`."""
    encryption: tuple[str, ...] = ()
    """Ciphers. As `[aes128-cbc]`."""
    integrity: tuple[str, ...] = ()
    """Message authentication codes. As `[hmac-sha1]`."""


Seconds = Annotated[float, Field(gt=0, le=86400)]


class Settings(Strict):
    """What is set for many devices at once. `for` says for which; without it, for all. Times in seconds.

    `through` is the jump host, a device of the inventory or an address; `raise` the privileged mode.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)
    login: Login | None = None
    """Who logs in, and with what. As `{user: noc, password: {environment: TEAL_PASSWORD}}`."""
    known_hosts: str | None = None
    """The file of pinned host keys, beside the inventory. As `known_hosts`."""
    ssh_config: str | None = None
    """A file of settings of OpenSSH's to follow. As `~/.ssh/config`."""
    through: str | None = None
    """The jump host: a device of this inventory, or an address. As `mole-r1`."""
    raise_: Raise | None = Field(default=None, alias="raise")
    """How the privileged mode is reached. As `{secret: {prompt: true}}`."""
    algorithms: Algorithms | None = None
    """SSH algorithms besides the usual ones, for old devices. As `{host_key: [ssh-rsa]}`."""
    way: Literal["shell", "exec", "netconf", "telnet", "local"] | None = None
    """How it is reached, where that is not how its dialect is. As `exec`."""
    connect_within: Seconds | None = None
    """In how many seconds the connection has to stand. As `20`."""
    answer_within: Seconds | None = None
    """In how many seconds an answer has to be there. As `120`."""
    device_within: Seconds | None = None
    """In how many seconds all of a device has to be done. As `600`."""
    answer_most: Annotated[int, Field(gt=0, le=500)] | None = None
    """How long an answer may be, in megabytes. As `50`."""


_SETTINGS = tuple(info.alias or name for name, info in Settings.model_fields.items())


class SettingsEntry(Settings):
    for_: Sql | None = Field(default=None, alias="for")
    """For which devices: a predicate over names and labels; without it, for all. As `site = 'gannet'`."""


def plain_name(name: str) -> str:
    """A name that a device may have; `ValueError` for another."""
    if not re.fullmatch(r"[A-Za-z0-9][A-Za-z0-9_.-]{0,127}", name):
        raise ValueError(f"'{name}' is no name for a device: letters, digits, '.', '-' and '_', please")
    return name


def good_port(port: int) -> int:
    """A port; `ValueError` for a number that is none."""
    if not 0 < port < 65536:
        raise ValueError(f"{port} is not a port (1 to 65535)")
    return port


PortNumber = Annotated[int, AfterValidator(good_port), Field(json_schema_extra={"minimum": 1, "maximum": 65535})]


class DeviceModel(Settings):
    """A device as it stands in the file: four keys and what settings it has of its own; the rest are labels."""

    model_config = ConfigDict(extra="allow", frozen=True, populate_by_name=True)
    name: Annotated[str, AfterValidator(plain_name)]
    """The name of the device, as records bear it. As `gannet-r1`."""
    address: str
    """Its IP address, or host name. As `192.0.2.21`."""
    dialect: str
    """What it speaks. As `ios`."""
    port: PortNumber | None = None
    """The port, where it is not that of its way (SSH 22, NETCONF 830, Telnet 23). As `2222`."""

    @field_validator("address")
    @classmethod
    def good_address(cls, text: str) -> str:
        try:
            return str(ipaddress.ip_address(plain(text)))
        except ValueError:
            pass
        if re.fullmatch(r"[0-9.]+", text) or not _HOST.fullmatch(text):
            raise ValueError(f"'{text}' is neither an IP address nor a host name")
        return text


class InventoryModel(Strict):
    """An inventory: the devices, what is set for them, and what is joined to what."""

    readers: str | None = None
    """A folder with readers of the user's own, or a package, which go before the library's. As `readers`, `berths`."""
    settings: tuple[SettingsEntry, ...] = ()
    """What is set for many devices; of what several entries say, the later counts."""
    devices: tuple[DeviceModel, ...]
    """The devices; any other key of one is a label."""
    links: tuple[tuple[str, str], ...] = ()
    """What is joined to what, where the devices do not tell: two ends, each a device and an interface of it."""


@dataclass(frozen=True)
class Device:
    """A device with all that applies to it. `labels` are texts; `folder` is where its files are looked for."""

    name: str
    address: str
    dialect: str
    port: int = PORT
    labels: Mapping[str, str] = field(default_factory=dict)
    settings: Settings = field(default_factory=lambda: Settings.model_validate({}))
    folder: Path = Path()
    own: Own = ()
    """The folders of the inventory's own readers."""

    @property
    def spoken(self) -> Dialect:
        """What it speaks."""
        return load_dialect(self.dialect, self.own)

    @property
    def way(self) -> str:
        """How it is reached: as the inventory says, else as its dialect has it."""
        return self.settings.way or self.spoken.way

    @property
    def user(self) -> str | None:
        return self.settings.login.user if self.settings.login else None

    def raising_secret(self, ask: Callable[[str], str] | None = None) -> str | None:
        """The secret for the privileged mode; None where that is not wanted."""
        raised = self.settings.raise_
        return raised.secret.fetch(self.folder, f"the secret to raise {self.name}", ask) if raised else None

    def password(self, ask: Callable[[str], str] | None = None) -> str | None:
        """The password, fetched from where the inventory says it is; None where it says nothing."""
        login = self.settings.login
        if login is None or login.password is None:
            return None
        return login.password.fetch(self.folder, f"the password of {self.user or 'the user'} on {self.name}", ask)

    def facts(self) -> dict[tuple[str, ...], str]:
        """What a predicate about devices may ask; a label that a device does not bear is the empty text."""
        own = {"name": self.name, "device": self.name, "address": self.address, "dialect": self.dialect}
        return {(key,): value for key, value in {**self.labels, **own}.items()}


@dataclass(frozen=True)
class Inventory:
    """The devices in the order of the file."""

    devices: tuple[Device, ...]
    path: Path = Path()
    readers: Path | None = None
    everyone: tuple[Device, ...] = ()
    """All devices of the file, also where `devices` are only some: a jump host may be among the others."""
    links: tuple[tuple[tuple[str, str], tuple[str, str]], ...] = ()
    """The links that the file tells, each of two ends: a device and an interface of it, in the long form."""

    def __len__(self) -> int:
        return len(self.devices)

    def device(self, name: str) -> Device:
        for device in self.devices:
            if device.name == name:
                return device
        known = [device.name for device in self.devices]
        raise QuestionError(f"no device '{name}' in {self.path}{nearest(name, known)}")

    def jump_host(self, name: str) -> Device:
        """The device of the inventory that a jump host names; else that address, with the login of who goes through."""
        device = self._jump_hosts.get(name)
        return device if device is not None else self._found_jump_host(name)

    @cached_property
    def _jump_hosts(self) -> dict[str, Device]:
        names = dict.fromkeys(device.settings.through for device in self.everyone)
        return {name: self._found_jump_host(name) for name in names if name}

    def _found_jump_host(self, name: str) -> Device:
        for device in self.everyone:
            if device.name == name:
                return device
        user = next(device for device in self.everyone if device.settings.through == name)
        settings = user.settings.model_copy(update={"through": None, "algorithms": None, "way": None})
        return replace(user, name=name, address=name, port=PORT, settings=settings)

    def jumps_before(self, device: Device) -> dict[str, Device]:
        """The jump hosts that a device is reached through, the nearest to it first, each once."""
        hops: dict[str, Device] = {}
        last = device
        while (name := last.settings.through) and name not in hops:
            last = hops[name] = self.jump_host(name)
        return hops

    def on(self, predicate: str | None) -> Inventory:
        """The devices for which a predicate over name, address, dialect and labels holds."""
        if predicate is None:
            return self
        try:
            parsed = parse(predicate, _schema(self.devices))
        except PredicateError as error:
            raise QuestionError(f'in the predicate "{predicate}": {error}') from None
        kept = tuple(d for d, is_on in zip(self.devices, _asked(parsed, self.devices), strict=True) if is_on)
        if not kept:
            raise QuestionError(f'the predicate "{predicate}" holds for none of {len(self)} devices')
        return replace(self, devices=kept)


def _schema(devices: Iterable[Device]) -> Schema:
    labels = {label for device in devices for label in device.labels}
    names = sorted(labels | {"name", "device", "address", "dialect"})
    return {(name.lower(),): RecordField(name, Type.TEXT, Nature.KEY, "", absent="") for name in names}


def _asked(predicate: Predicate, devices: Iterable[Device]) -> list[bool | None]:
    absent = dict.fromkeys(predicate.names, "")
    return holds(predicate, [{**absent, **{(k[0].lower(),): v for k, v in d.facts().items()}} for d in devices])


def load_inventory(path: str | Path) -> Inventory:
    """Reads an inventory, YAML or CSV; a mistake in it is a `FileError`."""
    path = Path(path)
    model, source = _csv(path) if path.suffix.lower() == ".csv" else load(path, InventoryModel)
    _no_twins(model, source)
    own = _own_readers(path, model.readers, source) if model.readers else None
    places = (own,) if own is not None else ()
    _known_dialects(model, source, places)
    devices = [replace(_bare(entry, path.parent, source, n), own=places) for n, entry in enumerate(model.devices)]
    layers = [_layer(entry, source, n, devices) for n, entry in enumerate(model.settings)]
    on_their_ports = []
    for n, device in enumerate(devices):
        applied = [entry for entry, on in zip(model.settings, layers, strict=True) if on[n]]
        device = replace(device, settings=_cascaded([*applied, model.devices[n]]))
        if (device.way == "netconf") != bool(device.spoken.namespaces):
            needs = "is asked over netconf only" if device.way != "netconf" else "is not spoken over netconf; 'ietf' is"
            raise source.error(("devices", n, "dialect"), f"the dialect '{device.dialect}' {needs}")
        on_their_ports.append(device if model.devices[n].port else replace(device, port=PORTS.get(device.way, PORT)))
    return Inventory(tuple(on_their_ports), path, own, tuple(on_their_ports), _links(model, source, devices))


def _own_readers(path: Path, named: str, source: Source) -> Path:
    """The folder that `readers` names beside the inventory, else that of the package of this name."""
    own = (path.parent / named).resolve()
    if own.is_dir():
        return own
    try:
        own = package(named, path).folder / READERS
    except QuestionError as error:
        raise source.error(("readers",), f"there is no folder {own}, and {error}") from None
    if not own.is_dir():
        raise source.error(("readers",), f"the package '{named}' has no readers")
    return own


def _links(
    model: InventoryModel, source: Source, devices: list[Device]
) -> tuple[tuple[tuple[str, str], tuple[str, str]], ...]:
    """The ends of each link; a `FileError` for an end that is no device of the file and an interface."""
    spoken = {device.name: device.spoken for device in devices}
    links = []
    for n, told in enumerate(model.links):
        ends = []
        for k, end in enumerate(told):
            name, _, port = end.strip().partition(" ")
            if name not in spoken or not port.strip():
                hint = nearest(name, spoken) if name not in spoken else ""
                raise source.error(("links", n, k), f"'{end}' is not a device of this file and its interface{hint}")
            ends.append((name, interface_spelling(port.strip(), spoken[name].long_names)))
        links.append((ends[0], ends[1]))
    return tuple(links)


def _csv(path: Path) -> tuple[InventoryModel, Source]:
    """A CSV inventory: a heading line with the same keys, one device a line."""
    text = read_text(path)
    source = Source(str(path), text)
    rows = csv.reader(io.StringIO(text))
    headings = [heading.strip() for heading in next(rows, [])]
    source.places[()] = (1, 1)
    devices: list[dict[str, str]] = []
    for cells in rows:
        if not any(cell.strip() for cell in cells):
            continue
        n = len(devices)
        source.places[("devices", n)] = (rows.line_num, 1)
        if len(cells) != len(headings):
            raise source.error(("devices", n), f"{len(cells)} cells under {len(headings)} headings")
        given = {key: cell.strip() for key, cell in zip(headings, cells, strict=True) if cell.strip()}
        for key in given:
            column = source.lines[rows.line_num - 1].find(given[key]) + 1
            source.places[("devices", n, key)] = source.key_places[("devices", n, key)] = (
                rows.line_num,
                column or 1,
            )
        devices.append(given)
    missing = [key for key in ("name", "address", "dialect") if key not in headings]
    if missing:
        raise source.error((), f"the heading '{missing[0]}' is missing; headings: {', '.join(headings)}")
    return validated({"devices": devices}, source, InventoryModel, exact=False), source


def _no_twins(model: InventoryModel, source: Source) -> None:
    if not model.devices:
        raise source.error(("devices",), "no devices; an inventory needs at least one")
    seen: dict[str, int] = {}
    for n, entry in enumerate(model.devices):
        if entry.name.lower() in seen:
            line = source.places[("devices", seen[entry.name.lower()])][0]
            where: Path_ = ("devices", n, "name")
            raise source.error(where, f"the device '{entry.name}' is given twice (first on line {line})")
        seen[entry.name.lower()] = n


def _known_dialects(model: InventoryModel, source: Source, places: Own) -> None:
    known = dialects(places)
    for n, entry in enumerate(model.devices):
        if entry.dialect not in known:
            message = f"unknown dialect '{entry.dialect}'{nearest(entry.dialect, known)}"
            raise source.error(("devices", n, "dialect"), message)


SECRET = re.compile(r"(?<!by)pass(?:word|wd|phrase)?(?![a-z])|secret|community|token|private.?key", re.IGNORECASE)
"""What a column of a sheet is called that holds secrets."""


def _bare(entry: DeviceModel, folder: Path, source: Source, n: int) -> Device:
    labels = {}
    for key, value in (entry.model_extra or {}).items():
        where: Path_ = ("devices", n, key)
        if isinstance(value, dict | list):
            known = [*_OWN, *_SETTINGS]
            raise source.error(where, f"the label '{key}' has to be one plain value{nearest(key, known)}", at_key=True)
        if SECRET.search(key):
            told = f"'{key}' would be a label, and captures keep these as they are: a secret belongs under 'login'"
            at = source.error(where, told, at_key=True)
            raise FileError(told, at.path, at.line, at.column)  # without the line: the secret stands in it
        close = nearest(key, _OWN)
        if close.startswith("; did") and key not in _OWN:
            raise source.error(where, f"unknown key '{key}'{close} (a label needs a name less like it)", at_key=True)
        labels[key] = _label(value)
    return Device(entry.name, entry.address, entry.dialect, entry.port or PORT, labels, folder=folder)


def _label(value: Any) -> str:
    if isinstance(value, bool):
        return str(value).lower()
    return "" if value is None else str(value)


def _layer(entry: SettingsEntry, source: Source, n: int, devices: list[Device]) -> list[bool]:
    if entry.for_ is None:
        return [True] * len(devices)
    try:
        predicate = parse(entry.for_, _schema(devices))
    except PredicateError as error:
        raise source.error(("settings", n, "for"), error.message, offset=error.offset) from None
    return [answer is True for answer in _asked(predicate, devices)]


def _cascaded(layers: Iterable[Settings | DeviceModel]) -> Settings:
    """Later layers win, key by key; a login is put together from its parts."""
    merged: dict[str, Any] = {}
    for layer in layers:
        for key in Settings.model_fields:
            value = getattr(layer, key)
            if isinstance(value, Login) and isinstance(merged.get(key), Login):
                value = merged[key].model_copy(update=_given(value))
            if value is not None:
                merged[key] = value
    return Settings.model_validate(merged)


def _given(login: Login) -> dict[str, Any]:
    return {key: getattr(login, key) for key in Login.model_fields if getattr(login, key) is not None}
