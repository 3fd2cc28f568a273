"""A folder for a network, begun: what a newcomer has of it (addresses, a hosts file, a sheet) becomes an inventory, a
first capture, expectations drafted from it, a change to fill in, and the steps of a pipeline."""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field, replace
from importlib.resources import files
from pathlib import Path
from typing import Any

import yaml

from nogging.captures.writing import replace_text
from nogging.collecting.finding import FoundDevice, find
from nogging.dialects.declared import dialects
from nogging.errors import FileError, QuestionError
from nogging.files import loads, read_text
from nogging.inventory import (
    PORT,
    SECRET,
    Device,
    Inventory,
    InventoryModel,
    Login,
    Secret,
    Settings,
    good_port,
    plain_name,
)
from nogging.records.values import is_address

INVENTORY, KNOWN_HOSTS, EXPECTATIONS = "inventory.yaml", "known_hosts", "expectations.yaml"
_LAID = ("change.yaml", "judge.sh", "README.md")
_PLACE = re.compile(
    r"(?:(?P<user>[^@\s]+)@)?(?:\[(?P<six>[0-9A-Fa-f:.%\w]+)\]|(?P<host>[A-Za-z0-9_.-]+))(?::(?P<port>\d+))?"
)


@dataclass(frozen=True)
class Newcomer:
    """A device as far as it is known yet; where it has no name, it is called what its prompt says."""

    address: str
    port: int = PORT
    name: str = ""
    user: str = ""
    dialect: str = ""
    labels: dict[str, str] = field(default_factory=dict)


def newcomers(sources: Iterable[str]) -> list[Newcomer]:
    """The devices that are named: `[USER@]ADDRESS[:PORT]` each, or files of them: a CSV with headings (`address`, and
    `name`, `port`, `user`, `dialect`, labels), a hosts file (an address and its name to a line), a list.

    Raises `QuestionError` for what is none of these, and where nothing is named, or a place twice.
    """
    newcomers = [newcomer for source in sources for newcomer in _named(source)]
    twice = [
        place for place, n in Counter((newcomer.address, newcomer.port) for newcomer in newcomers).items() if n > 1
    ]
    if twice:
        raise QuestionError(f"{twice[0][0]} port {twice[0][1]} is named twice")
    if not newcomers:
        raise QuestionError("no devices are named")
    return newcomers


def _named(source: str) -> Iterator[Newcomer]:
    path = Path(source)
    if not path.is_file():
        yield _at(source, source)
    elif path.suffix.lower() in (".csv", ".tsv"):
        yield from _rows(path)
    else:
        for n, line in enumerate(read_text(path).splitlines(), 1):
            words = line.partition("#")[0].split()
            if words:
                if len(words) > 1 and is_address(words[1]) and not is_address(words[0]):
                    words[:2] = reversed(words[:2])
                newcomer = _at(words[0], f"{path}:{n}")
                yield replace(newcomer, name=_name(words[1], f"{path}:{n}")) if len(words) > 1 else newcomer


def _at(text: str, where: str) -> Newcomer:
    six = text if text.count(":") > 1 and not text.startswith("[") and "@" not in text else ""
    match = None if six else _PLACE.fullmatch(text)
    if Path(text).suffix.lower() in (".csv", ".txt", ".yaml", ".yml"):
        raise QuestionError(f"{text}: there is no such file")
    if not six and match is None:
        raise QuestionError(f"{where}: '{text}' is no device; write [USER@]ADDRESS[:PORT], or name a file of them")
    if match is None:
        return Newcomer(six)
    return Newcomer(match["six"] or match["host"], _port(match["port"], where), user=match["user"] or "")


def _port(text: str | None, where: str) -> int:
    try:
        return good_port(int(text) if text.isascii() and text.isdigit() else -1) if text else PORT
    except ValueError:
        raise QuestionError(f"{where}: {text} is not a port (1 to 65535)") from None


def _name(text: str, where: str) -> str:
    try:
        return plain_name(text)
    except ValueError as error:
        raise QuestionError(f"{where}: {error}") from None


def _rows(path: Path) -> Iterator[Newcomer]:
    text = read_text(path)
    first = text.partition("\n")[0]
    delimiter = max(",;\t|", key=first.count)
    cells = [cell.strip() for cell in first.split(delimiter)]
    bare = ["address" if is_address(cell) else "name" for cell in cells]
    is_bare = sorted(bare) in (["address"], ["address", "name"])
    rows = csv.DictReader(io.StringIO(text), fieldnames=bare if is_bare else None, delimiter=delimiter)
    headings = [heading or "" for heading in rows.fieldnames or ()]
    meant = _meant(headings)
    if "address" not in meant.values():
        raise FileError(f"the heading 'address' is missing; headings: {', '.join(headings)}", str(path), 1, 1, first)
    if secret := next((heading for heading in headings if SECRET.search(heading)), None):
        what = f"the column '{secret}' holds secrets, which no inventory keeps; take it out, and see --password"
        raise FileError(what, str(path), 1, first.find(secret) + 1, first)
    for row in rows:
        where = f"{path}:{rows.line_num}"
        told = {key: value.strip() for key, value in row.items() if key and isinstance(value, str)}
        given = {meant.get(key, key): value for key, value in told.items() if value}
        if given:
            newcomer = _at(_WITH_LENGTH.sub("", given.pop("address", "")), where)
            port, name, dialect = given.pop("port", ""), given.pop("name", ""), given.pop("dialect", "")
            if dialect and dialect.lower() not in dialects():  # a platform as somebody calls it; it is found out
                given["platform"], dialect = dialect, ""
            yield Newcomer(
                newcomer.address,
                _port(port, where) if port else newcomer.port,
                _name(name, where) if name else "",
                given.pop("user", newcomer.user),
                dialect.lower(),
                {_label(key): value for key, value in given.items()},
            )


_HEADINGS = {
    "address": "address ip ipaddress ipaddr ipv4 ipv4address managementip managementipaddress managementaddress mgmtip "
    "mgmtaddress mgmt primaryip host hostname",
    "name": "name hostname devicename device node systemname sysname host",
    "port": "port sshport",
    "user": "user username login",
    "dialect": "dialect os platform operatingsystem networkos",
}
"""How sheets call what a device needs, each in the order in which a heading is taken for it."""
_WITH_LENGTH = re.compile(r"(?<=[\da-fA-F:])/\d{1,3}$")


def _meant(headings: Iterable[str]) -> dict[str, str]:
    """Which headings stand for what a device needs: the best of each, and no heading for two."""
    plain = {re.sub(r"[^a-z0-9]", "", heading.lower()): heading for heading in headings}
    columns: dict[str, str] = {}
    for key, spellings in _HEADINGS.items():
        free = (
            plain[spelling] for spelling in spellings.split() if spelling in plain and plain[spelling] not in columns
        )
        if (heading := next(free, None)) is not None:
            columns[heading] = key
    return columns


def _label(heading: str) -> str:
    """The name of a label: `Rack Unit` becomes `rack_unit`."""
    return re.sub(r"\W+", "_", heading.strip().lower()).strip("_") or "column"


def secret_at(text: str) -> Secret | None:
    """Where a password is: `prompt`, `environment=NAME`, `file=PATH`, `keyring=SERVICE`; `none` for keys and an agent.
    Raises `QuestionError` for anything else."""
    kind, _, value = text.partition("=")
    if text == "none":
        return None
    if text == "prompt":
        return Secret(prompt=True)
    if kind in ("environment", "file", "keyring") and value:
        return Secret.model_validate({kind: str(Path(value).resolve()) if kind == "file" else value})
    raise QuestionError(
        f"'{text}' is no place of a password: prompt, environment=NAME, file=PATH, keyring=SERVICE, none"
    )


def inventory_of(
    several: Iterable[Newcomer],
    user: str,
    password: Secret | None,
    folder: Path = Path(),
    known_hosts: str | None = None,
) -> Inventory:
    """The newcomers as devices that can be reached; what they speak is not known yet."""
    devices = []
    for newcomer in several:
        login = Login(user=newcomer.user or user or None, password=password)
        settings = Settings(login=login, known_hosts=known_hosts)
        name = newcomer.name or (newcomer.address if newcomer.port == PORT else f"{newcomer.address}:{newcomer.port}")
        devices.append(
            Device(
                name=name,
                address=newcomer.address,
                dialect=newcomer.dialect or "linux",
                port=newcomer.port,
                labels=newcomer.labels,
                settings=settings,
                folder=folder,
            )
        )
    return Inventory(tuple(devices), folder / INVENTORY, everyone=tuple(devices))


def found_out(several: list[Newcomer], inventory: Inventory, ask: Callable[[str], str] | None) -> list[FoundDevice]:
    """Each device with its name and what it speaks, in the order of the newcomers; those that say it are not asked."""
    asked = [device for newcomer, device in zip(several, inventory.devices, strict=True) if not newcomer.dialect]
    answers = iter(find(replace(inventory, devices=tuple(asked)), ask=ask) if asked else ())
    devices = [
        FoundDevice(device, device.name) if newcomer.dialect else next(answers)
        for newcomer, device in zip(several, inventory.devices, strict=True)
    ]
    return _with_names(several, devices)


def _with_names(several: list[Newcomer], devices: list[FoundDevice]) -> list[FoundDevice]:
    """Where nobody gave a name, that of the prompt; where two devices call themselves the same, the place as well."""
    wanted = [newcomer.name or told.name or told.device.name for newcomer, told in zip(several, devices, strict=True)]
    often = Counter(name.lower() for name in wanted)
    named = []
    for told, name in zip(devices, wanted, strict=True):
        own = name if often[name.lower()] == 1 else f"{name}_{told.device.address}_{told.device.port}"
        own = re.sub(r"[^A-Za-z0-9_.-]", "-", own).strip("-")
        named.append(replace(told, device=replace(told.device, name=own)))
    return named


def inventory_text(devices: Iterable[FoundDevice], user: str, password: Secret | None) -> str:
    """The inventory file; who was not found out stands in it as a remark, with the reason."""
    login: dict[str, Any] = {"user": user} if user else {}
    if password is not None:
        login["password"] = password.model_dump(exclude_none=True)
    lines = [
        "# The devices, and how they are reached. Any further key of one is a label, to pick devices by: site, tier, …",
        "# nogging schema inventory > inventory.schema.json tells an editor what may stand here.",
        "settings:",
        f"  - login: {_flow(login)}"
        if login
        else "  - answer_within: 60                   # login: {user: …, password: …}",
        f"    known_hosts: {KNOWN_HOSTS}           # the host keys that were pinned; nogging trust compares them",
        "devices:",
    ]
    left = []
    for told in devices:
        device = told.device
        own = {"login": {"user": device.user}} if device.user and device.user != user else {}
        port = {"port": device.port} if device.port != PORT else {}
        entry = {
            "name": device.name,
            "address": device.address,
            **port,
            "dialect": device.dialect,
            **device.labels,
            **own,
        }
        if told.outcome:
            entry["dialect"] = "?"
            left.append(f"  # {told.outcome.replace('_', ' ')}: {' '.join(told.reason.split())}\n  # - {_flow(entry)}")
        else:
            lines.append(f"  - {_flow(entry)}")
    return "\n".join([*lines, *left]) + "\n"


def _flow(entry: dict[str, Any]) -> str:
    return yaml.safe_dump(entry, default_flow_style=True, sort_keys=False, width=10**6, allow_unicode=True).strip()


def lay(folder: Path, text: str) -> None:
    """Writes the inventory and what else a newcomer needs; what is there already stays."""
    loads(text, INVENTORY, InventoryModel)
    try:
        replace_text(folder / INVENTORY, text)
        for name in _LAID:
            if not (folder / name).exists():
                (folder / name).write_text((files("nogging.collecting") / "begun" / name).read_text(encoding="utf-8"))
        (folder / "judge.sh").chmod(0o755)
    except OSError as error:
        raise QuestionError(f"{error.filename or folder}: cannot be written: {error.strerror}") from None
