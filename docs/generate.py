"""Writes `docs/records.md`, `docs/dialects.md` and the JSON Schemas of `src/nogging/schemas/` from what is declared:
the kinds, the readers and the models of the files. Run it after changing one; a test compares."""

from __future__ import annotations

import ast
import inspect
import json
import textwrap
import typing
from collections.abc import Iterator, Sequence
from enum import StrEnum
from importlib import import_module
from pathlib import Path
from typing import Any

import typer
import typer.main
import yaml
from pydantic import BaseModel

from nogging.asking.windows import WindowsModel
from nogging.changes.file.declared import ChangeModel
from nogging.changes.file.sharing import IntentsModel
from nogging.changes.run.receivers import ReceiversModel
from nogging.cli import COMMANDS
from nogging.dialects.declared import Dialect, dialects, load_dialect
from nogging.dialects.reader_folders import LIBRARY
from nogging.drawing.draw import FIGURES
from nogging.files import Strict, plain_values
from nogging.inventory import DeviceModel, InventoryModel
from nogging.judging.consequences import may_follow
from nogging.judging.expectations import ExpectationsModel
from nogging.packages import PackageModel
from nogging.reading.declared import Reader, ReaderModel
from nogging.reading.reader import readers
from nogging.reading.samples import samples
from nogging.records import KINDS, Field, Kind
from nogging.records.resting import resting
from nogging.release import VERSION

NATURES = """\
| nature | what a comparison does with it |
| --- | --- |
| `key` | matches the records of two captures; null equals null |
| `member` | tells apart several records of one key, which are compared as a set |
| `state` | must be equal |
| `counter` | may grow; going backwards is a restart, unless it wrapped or was cleared |
| `gauge` | may differ by a tenth |
| `measure` | may differ by what stands beside it, in its own unit: of what may be zero a share says nothing |
| `timer` | is kept as the moment it began; a moment later than its resolution and the clocks allow is a restart |
| `note` | is not compared |
"""

QUIET = """Where nothing is done, nothing is to be seen: `make quiet` captured both real networks each minute of an hour
(2026-11-27, frr 8.4.4, bird 2.0.12, lldpd 1.0.16, iproute2 6.1.0). The routed one: 18 differences, all of them entries
of the caches of IPv4 and IPv6 neighbors that the kernel let go or made anew, and no unread line. The fabric: 12, all of
them such entries and those of a bridge, and 2 unread lines, which are read since (`stale`).

"""


def document() -> str:
    head = "# Records\n\nWritten by `docs/generate.py` from the declarations in `src/nogging/records/`.\n\n"
    common = "Each record also has `device`, the `answer` it was read from, and its first and last `line` there.\n"
    return head + NATURES + "\n" + common + "".join(_kind(kind) for kind in KINDS.values())


def _kind(kind: Kind) -> str:
    rows = "".join(_row(field) for field in kind.own)
    head = f"\n## `{kind.name}`\n\n{kind.meaning[:1].upper()}{kind.meaning[1:]} ({kind.standard}).\n\n"
    table = "| field | type | nature | meaning | standard |\n| --- | --- | --- | --- | --- |\n"
    return head + table + rows + "".join(f"\n{line}\n" for line in _breaking(kind))


def _breaking(kind: Kind) -> Iterator[str]:
    """What breaks a record, what it brings down, and what may move with it."""
    well = [f"`{field.name}` is `{str(field.well).lower()}`" for field in kind.own if field.well is not None]
    if well:
        yield f"It is well while {' and '.join(well)}."
    names: dict[str, list[str]] = {}
    for other, field, target in resting(kind):
        names.setdefault(target.name, []).append(f"`{other.name}` by its `{field.name}`")
    for target, several in names.items():
        yield f"What names its `{target}` falls, or comes, with it: {', '.join(several)}."
    if kind.falls_at_both_ends:
        yield "So does the record at its other end."
    if kind.whole_device:
        yield "When it began again, so did all that its device counts."
    moves = [f"`{name}`" for name in sorted(may_follow(kind))]
    if moves:
        yield f"What may move as a consequence of another difference: {', '.join(moves)}."


def _row(field: Field) -> str:
    words = f": {', '.join(f'`{value}`' for value in field.values)}" if field.values else ""
    unit = f" in {field.unit}" if field.unit else ""
    around = f" (±{field.tolerance:g})" if field.tolerance else ""
    nature, meaning = f"{field.nature}{around}", f"{field.meaning}{words}"
    cells = (f"`{field.name}`", f"{field.type}{unit}", nature, meaning, field.standard)
    return f"| {' | '.join(cells)} |\n"


def matrix() -> str:
    """Which dialect gives which kinds, by which commands, and what that was proven on."""
    spoken = [name for name in dialects() if readers(name)]
    head = "# Dialects\n\nWritten by `docs/generate.py` from the readers in `src/nogging/reading/library/`.\n\n"
    head += (
        "R: proven on a real system, named below; F: written from knowledge of the format; empty: no reader yet.\n\n"
    )
    head += QUIET
    rows = "".join(
        f"| `{kind.name}` | {' | '.join(_cell(name, kind) for name in spoken)} |\n" for kind in KINDS.values()
    )
    table = f"| kind | {' | '.join(f'`{name}`' for name in spoken)} |\n| --- |{' :---: |' * len(spoken)}\n{rows}"
    return head + table + figures(spoken) + "".join(_dialect(name) for name in spoken)


def figures(spoken: Sequence[str]) -> str:
    """How many commands each dialect knows in full words, and by how many answers its readers are held."""
    told = "\nCommands are counted in full words, each choice apart; they may be shortened. Of the samples beside the\n"
    told += "readers, the independent ones were written from knowledge of the system, without a look at the reader.\n\n"
    rows = ""
    for name in spoken:
        known = readers(name)
        commands = sum(len(one.command_patterns) + len(one.partial_patterns) for one in known)
        beside = list(samples(LIBRARY / name))
        independent = sum(path.name.count(".") > 1 for path in beside)
        real = sum(bool(one.proven) for one in known)
        rows += f"| `{name}` | {len(known)} | {real} | {commands} | {len(beside)} | {independent} |\n"
    columns = "| dialect | readers | proven on a real system | commands | samples | independent |\n"
    return told + columns + "| --- | ---: | ---: | ---: | ---: | ---: |\n" + rows


def _cell(dialect: str, kind: Kind) -> str:
    giving = [reader for reader in readers(dialect) if kind in reader.kinds]
    return ("R" if any(reader.proven for reader in giving) else "F") if giving else ""


def _dialect(name: str) -> str:
    rows = "".join(_reader(reader) for reader in readers(name))
    head = f"\n## `{name}`\n\n{load_dialect(name).meaning[:1].upper()}{load_dialect(name).meaning[1:]}.\n\n"
    table = f"{head}| command | form | kinds | |\n| --- | --- | --- | --- |\n{rows}"
    silent = "".join(f"- {line}\n" for reader in readers(name) for line in _silent(reader))
    return table + (f"\nNot compared, besides numbers and times that are no field:\n\n{silent}" if silent else "")


def _silent(reader: Reader) -> Iterator[str]:
    """What a reader wants left out of what is compared, and why."""
    declared = yaml.safe_load(reader.path.read_text(encoding="utf-8"))
    for one in declared.get("silent", ()):
        yield f"`{reader.command}`: `{one['line']}`, {one['why']}"
    if reader.left_out:
        yield f"`{reader.command}`: all that is no record, {reader.left_out}"
    if reader.may_say_nothing:
        yield f"`{reader.command}`: that it says nothing"


def _reader(reader: Reader) -> str:
    form = {"lines": "text", "json": "JSON", "xml": "XML"}[reader.notation]
    kinds = ", ".join(f"`{kind.name}`" for kind in reader.kinds)
    proof = f"proven on real {reader.proven}" if reader.proven else "from format knowledge"
    return f"| `{reader.command}` | {form} | {kinds} | {proof} |\n"


SCHEMAS = {
    "change": ChangeModel,
    "expectations": ExpectationsModel,
    "inventory": InventoryModel,
    "reader": ReaderModel,
    "dialect": Dialect,
    "over_time": WindowsModel,
    "intents": IntentsModel,
    "package": PackageModel,
    "receivers": ReceiversModel,
}


ASKED = """# What engineers ask

Written by `docs/generate.py` from `docs/questions.yaml`. On the demo done badly (`nogging demo --fault --to DIR`):
BEFORE and AFTER are its captures, and in Python `after = nogging.Capture("DIR/…/after")`. Every question is asked by
the tests in each of its forms. `nogging records` shows how to say the same in SQL, wherever it is asked more than for
records.
"""


def questions() -> str:
    """`docs/questions.md`."""
    sections = yaml.safe_load(Path(__file__).with_name("questions.yaml").read_text())
    lines = [ASKED]
    for title, listed in sections.items():
        lines += [f"## {title}", ""]
        for one in listed:
            lines += [f"**{one['ask']}**", "", "```", f"nogging {one['command']}", one["python"]]
            lines += [*([one["sql"]] if "sql" in one else []), "```", ""]
    return "\n".join(lines)


def schemas() -> dict[str, str]:
    """The JSON Schema (2020-12) of each sort of file, for an editor to check it while it is written."""
    head = {"$schema": "https://json-schema.org/draft/2020-12/schema"}
    return {name: json.dumps({**head, **_schema(model)}, indent=1) + "\n" for name, model in SCHEMAS.items()}


def _schema(model: type[BaseModel]) -> dict[str, Any]:
    """That of a model, with what its declaration says of each key; nothing behind one is a mistake, and so is null."""
    found = model.model_json_schema()
    models = {one.__name__: one for one in _models(model)}
    for name, definition in {model.__name__: found, **found.get("$defs", {})}.items():
        definition.pop("title", None)
        for key, declared in definition.get("properties", {}).items():
            declared.pop("title", None)
            if declared.get("default", 0) is None:
                del declared["default"]
            kinds = [one for one in declared.get("anyOf", ()) if one != {"type": "null"}]
            if len(kinds) == 1:
                del declared["anyOf"]
                declared.update(kinds[0])
            elif kinds:
                declared["anyOf"] = kinds
            declared.update(_said(_meanings(models[name])[key]))
    return found


def _models(model: type[BaseModel]) -> Iterator[type[BaseModel]]:
    """A model and all that stand in it."""
    seen, left = set(), [model]
    while left:
        one = left.pop()
        if isinstance(one, type) and issubclass(one, BaseModel) and one not in seen:
            seen.add(one)
            yield one
            left += [field.annotation for field in one.model_fields.values()]
        elif not isinstance(one, type) or typing.get_args(one):
            left += typing.get_args(one)


def _meanings(model: type[BaseModel]) -> dict[str, str]:
    """What stands below each field in the source, by the key that it is in a file."""
    found = {}
    for one in reversed(model.__mro__):
        if issubclass(one, Strict) and one is not Strict:
            (declared,) = ast.parse(textwrap.dedent(inspect.getsource(one))).body
            pairs = zip(declared.body, [*declared.body[1:], None], strict=True)
            found |= {
                field.target.id: " ".join(text.value.value.split())
                for field, text in pairs
                if isinstance(field, ast.AnnAssign) and isinstance(text, ast.Expr)
            }
    return {field.alias or name: found[name] for name, field in model.model_fields.items()}


def _said(meaning: str) -> dict[str, Any]:
    """A meaning with the examples at its end (`As …`) apart."""
    told, _, examples = meaning.partition(" As `")
    listed = (
        [plain_values(one, "")[0] for one in examples.removesuffix(".").removesuffix("`").split("`, `")]
        if examples
        else []
    )
    return {"description": told, **({"examples": listed} if listed else {})}


TAKES = {
    "kind": "kind",
    "kinds": "kinds",
    **dict.fromkeys(("fields", "count_by", "alike", "figures", "sort", "by"), "fields"),
    "where": "condition",
    "on": "devices",
    **dict.fromkeys(("source", "target", "device"), "device"),
}
"""What the values of options and arguments are that are texts, by their names."""


def words() -> str:
    """What the shells' completion knows: the commands as they are declared, and the kinds with their fields."""
    kinds = {
        one.name: {"meaning": one.meaning, "fields": {field.name: field.meaning for field in one.own}}
        for one in KINDS.values()
    }
    told = {"commands": {name: {"does": does, **_declared(name)} for name, (_, _, does) in COMMANDS.items()}}
    settings = [field.alias or name for name, field in DeviceModel.model_fields.items()]
    return json.dumps({**told, "kinds": kinds, "settings": settings}, indent=1) + "\n"


def _declared(name: str) -> dict[str, Any]:
    app = typer.Typer(add_completion=False)
    app.command(name)(import_module(f"nogging.cli.{COMMANDS[name][0]}").command)
    found: dict[str, Any] = {"about": "", "arguments": [], "options": []}
    command = typer.main.get_command(app)
    found["about"] = " ".join((command.help or "").split())
    for param in command.params:
        told = {"takes": _takes(param), "choices": _choices(name, param), "help": param.help or ""}
        if param.param_type_name == "argument":
            shown = (param.metavar or param.name).upper()
            found["arguments"].append({"name": shown, "several": param.nargs == -1, **told})
        else:
            found["options"].append({"names": [*param.opts, *param.secondary_opts], **told})
    return found


def _takes(one: Any) -> str:
    kind = one.type_descriptor.annotation
    if getattr(one, "is_flag", False):
        return ""
    if kind is Path or kind == list[Path] or kind == Path | None:
        return "path"
    return TAKES.get(one.name, "text")


def _choices(command: str, one: Any) -> list[str]:
    kind = one.type_descriptor.annotation
    if isinstance(kind, type) and issubclass(kind, StrEnum):
        return [str(value) for value in kind]
    if one.name == "dialect":
        return dialects()
    if command == "draw" and one.name == "what":
        return list(FIGURES)
    return sorted(SCHEMAS) if command == "schema" and one.name == "name" else []


def manual() -> str:
    """The page for `man nogging`."""
    known = json.loads(words())["commands"]
    lines = [f'.TH NOGGING 1 "" "nogging {VERSION}" "User Commands"', ".SH NAME"]
    lines += ["nogging \\- tells whether a change to a network did exactly what it was meant to do", ".SH SYNOPSIS"]
    lines += [".B nogging", ".I COMMAND", "[\\fIARGUMENTS\\fR]", ".SH DESCRIPTION", *_roff(MANUAL)]
    lines.append(".SH COMMANDS")
    for name, one in known.items():
        lines += [f".SS {_said_in_roff(f'nogging {name}')}", *_roff(one["about"])]
        named = {argument["name"]: argument["help"] for argument in one["arguments"]}
        named |= {", ".join(option["names"]): option["help"] for option in one["options"]}
        for word, meaning in named.items():
            lines += [".TP", f"\\fB{_said_in_roff(word)}\\fR", *_roff(meaning or " ")]
    lines += [".SH EXIT STATUS", *_roff(STATUS), ".SH ENVIRONMENT"]
    for word, meaning in ENVIRONMENT.items():
        lines += [".TP", f"\\fB{word}\\fR", *_roff(meaning)]
    return "\n".join(lines) + "\n"


def commands() -> str:
    """`docs/commands.md`."""
    lines = ["# Commands", "", "Written by `docs/generate.py` from the commands themselves.", "", STATUS, ""]
    for name, one in json.loads(words())["commands"].items():
        lines += [f"## `nogging {name}`", "", one["about"], "", "| | |", "| --- | --- |"]
        named = {argument["name"]: argument for argument in one["arguments"]}
        named |= {", ".join(option["names"]): option for option in one["options"]}
        for word, told in named.items():
            choices = f" ({', '.join(told['choices'])})" if told["choices"] else ""
            lines.append(f"| `{word}` | {told['help']}{choices} |".replace("<", "&lt;"))
        lines.append("")
    return "\n".join(lines)


MANUAL = (
    "It captures the operational state of devices before and after a change, reads command output into records, and "
    "judges the records against declared expectations: pass, fail or unproven. Each command says more with --help; "
    "the formats of the files, with nogging schema."
)
STATUS = "0 pass, 1 fail, 3 unproven, 2 the question itself was wrong, 4 a fault of Nogging's own, 130 stopped by hand."
ENVIRONMENT = {
    "NO_COLOR": "Nothing is printed in colour.",
    "COLUMNS": "How wide a terminal is, where it does not say so itself.",
    "NOGGING_MASKING_KEY": "The file of the key that secrets are masked with.",
    "NOGGING_PAGER": "The program that long output goes through on a terminal, as `less`; without it nothing is paged.",
    "NOGGING_PACKAGES": "Folders with packages of readers, expectations, rules and intents, parted by colons.",
    "NOGGING_READERS": "Folders with readers of one's own, parted by colons.",
    "NOGGING_STATE": "The folder in which it remembers what may run.",
    "NOGGING_SHARED": "Files that are written are as readable to others as the umask says.",
}


def _said_in_roff(text: str) -> str:
    said = text.replace("\\", "\\e").replace("-", "\\-")
    return "".join(letter if letter.isascii() else f"\\[u{ord(letter):04X}]" for letter in said)


def _roff(text: str) -> list[str]:
    """Text in lines that roff takes for nothing else."""
    return [f"\\&{one}" if one[:1] in ".'" else one for one in textwrap.wrap(_said_in_roff(text), 100) or ["\\&"]]


if __name__ == "__main__":
    (Path(__file__).parent.parent / "src" / "nogging" / "cli" / "words.json").write_text(words())
    Path(__file__).with_name("nogging.1").write_text(manual())
    Path(__file__).with_name("commands.md").write_text(commands())
    place = Path(__file__).parent.parent / "src" / "nogging" / "schemas"
    for name, text in schemas().items():
        (place / f"{name}.schema.json").write_text(text)
    Path(__file__).with_name("dialects.md").write_text(matrix())
    Path(__file__).with_name("records.md").write_text(document())
    Path(__file__).with_name("questions.md").write_text(questions())
