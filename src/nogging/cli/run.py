"""What the commands share: turning a function into a command, and printing in the format that was asked for."""

from __future__ import annotations

import csv
import functools
import json
import shutil
import sys
from collections.abc import Callable, Iterable, Mapping
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer
from rich.console import Console
from rich.text import Text

from nogging.errors import CaptureError, QuestionError
from nogging.report import cleaning

if TYPE_CHECKING:
    import pyarrow as pa

    from nogging.changes.file.declared import Change
    from nogging.inventory import Inventory


class Format(StrEnum):
    TEXT = "text"
    JSON = "json"
    CSV = "csv"
    AS_IS = "csv-as-is"


class PageFormat(StrEnum):
    """What a report that goes with a ticket or into a pipeline is printed as."""

    TEXT = "text"
    JSON = "json"
    CSV = "csv"
    AS_IS = "csv-as-is"
    MARKDOWN = "markdown"
    JUNIT = "junit"


class VerdictFormat(StrEnum):
    """What a verdict is printed as: besides what any report is, in the forms of merge requests and editors."""

    TEXT = "text"
    JSON = "json"
    CSV = "csv"
    AS_IS = "csv-as-is"
    MARKDOWN = "markdown"
    JUNIT = "junit"
    SUMMARY = "summary"
    PLACES = "places"
    SARIF = "sarif"


_cell_of = cleaning.cell


def _chosen(format: Format | PageFormat | VerdictFormat) -> Format | PageFormat | VerdictFormat:
    """Cells as they are, for a program: CSV for a sheet has none that the sheet takes for a formula."""
    global _cell_of
    _cell_of = _as_it_is if format == "csv-as-is" else cleaning.cell
    return type(format).CSV if format == "csv-as-is" else format


def _as_it_is(value: Any) -> Any:
    return value


_PRINTED = typer.Option("--format", help="How to print; csv-as-is is for programs, csv for sheets.", callback=_chosen)
FormatOption = Annotated[Format, _PRINTED]
PageFormatOption = Annotated[PageFormat, _PRINTED]
VerdictFormatOption = Annotated[VerdictFormat, _PRINTED]


def _allowed(outside: bool) -> bool:
    from nogging.files import allow_outside

    allow_outside(outside)
    return outside


OutsideOption = Annotated[
    bool, typer.Option("--outside", help="Files may name others outside of their folder.", callback=_allowed)
]
_programs = False


def _let_run(programs: bool) -> bool:
    global _programs
    _programs = programs
    return programs


ProgramsOption = Annotated[
    bool, typer.Option("--programs", help="What the inventory runs on this machine may run.", callback=_let_run)
]


def willing(inventory: Inventory, *others: object) -> Inventory:
    """The inventory, if all that it runs on this machine may run: the flag says so, or a person did, now or before."""
    from nogging.collecting.programs import may_run, programs, remember

    listing = programs(inventory, *others)
    if _programs or may_run(listing):
        return inventory
    listed = "".join(f"\n  {program}" for program in listing)
    told = f"{inventory.path} runs programs on this machine, and it was not said yet that they may run:{listed}"
    if not sys.stdin.isatty():
        raise QuestionError(f"{told}\nlook at them; then say --programs, or run this in a terminal once")
    print(told, file=sys.stderr)
    if not typer.confirm("may they run, now and later?", err=True):
        raise QuestionError("nothing was run")
    remember(listing)
    return inventory


def change_of(file: Path, inventory: Path | None) -> Change:
    """A change file with the devices that it is for, if all that these run on this machine may run."""
    from nogging.changes.file.declared import load_change
    from nogging.inventory import load_inventory

    change = load_change(file, load_inventory(inventory) if inventory else None)
    willing(change.inventory, change.model)
    return change


FileOption = Annotated[
    Path | None, typer.Option("--to", help="A file instead: .xlsx for a sheet, .parquet or .csv for programs.")
]
QuietOption = Annotated[
    list[Path] | None, typer.Option("--quiet", help="A capture from before in which nothing was done; several times.")
]
_UNWRAPPED = 10_000_000


class _StoppedByHandError(Exception):
    """Ctrl-C in a command, past the library's own way of telling it."""


def run(command: Callable[..., int], name: str, arguments: list[str]) -> int:
    """Runs one command with its arguments; its exit status."""

    @functools.wraps(command)
    def stoppable(*given: Any, **named: Any) -> int:
        try:
            return command(*given, **named)
        except KeyboardInterrupt:
            raise _StoppedByHandError from None

    app = typer.Typer(add_completion=False, pretty_exceptions_enable=False, rich_markup_mode=None)
    app.command(name)(stoppable)
    try:
        return int(app(arguments, prog_name=f"nogging {name}", standalone_mode=False) or 0)
    except typer.TyperException as error:
        raise QuestionError(f"{error.format_message()} See 'nogging {name} --help'.") from None
    except (typer.Abort, _StoppedByHandError):
        raise KeyboardInterrupt from None


def width() -> int:
    """The width of the terminal; 80 in a pipe."""
    return shutil.get_terminal_size((80, 24)).columns


def print_lines(lines: Iterable[Text]) -> None:
    """Styled lines to standard output: in colour on a terminal, plain in a pipe, never wrapped or cut here."""
    wide = None if sys.stdout.isatty() else _UNWRAPPED
    console = Console(file=cleaning.behind(sys.stdout), highlight=False, soft_wrap=True, width=wide)
    for line in lines:
        console.print(line if line.plain.isprintable() else _printable(line, console))


def _printable(line: Text, console: Console) -> Text:
    """A styled line in which what a terminal would act upon is shown."""
    return Text.assemble(*((cleaning.lines(part.text), part.style or "") for part in line.render(console)))


def print_json(data: Any) -> None:
    print(cleaning.in_json(json.dumps(data, indent=2, ensure_ascii=False)))


def print_csv(rows: list[dict[str, Any]], names: Iterable[str]) -> None:
    """Rows with a heading line; a value that is a list or a mapping is JSON in its cell."""
    writer = csv.DictWriter(sys.stdout, list(names), lineterminator="\n", extrasaction="ignore")
    writer.writeheader()
    for row in rows:
        writer.writerow({name: _cell(value) for name, value in row.items()})


def _cell(value: Any) -> Any:
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, list | Mapping):
        return cleaning.in_json(json.dumps(value, ensure_ascii=False))
    return _cell_of(value)


def print_rows(rows: list[dict[str, Any]], names: Iterable[str], format: Format, nothing: str, kind: str = "") -> None:
    """Records of a kind, or the rows of a query; `nothing` is said where there are none."""
    from nogging.report import plain, text

    if format is Format.JSON:
        print_json(plain.rows(rows))
    elif format is Format.CSV:
        print_csv(plain.rows(rows), names)
    elif rows:
        print_lines(text.records(rows, width() if sys.stdout.isatty() else None, kind))
    else:
        print(nothing)


def write_table(table: pa.Table, file: Path, title: str) -> None:
    """A table to a file, by its ending, and one line that says so."""
    from nogging.judging.verdict import many
    from nogging.report import sheets

    sheets.write(table, file, title)
    print(f"{file}: {many(table.num_rows, 'row')}")


def captured(path: Path) -> Path:
    from nogging.captures.history import split
    from nogging.captures.storage import address_of

    if not path.exists() and split(path) is None and not address_of(path):
        what = "no such directory, and no history before the @" if "@" in path.name else "no such directory"
        raise CaptureError(f"{path}: there is {what}; make a capture with 'nogging capture'")
    return path


def address_and_port(text: str, option: str) -> tuple[str, int]:
    """Where to listen: `PORT` on loopback, or `ADDRESS:PORT`. Raises `QuestionError`."""
    address, _, port = text.rpartition(":")
    if not (port.isascii() and port.isdigit() and int(port) < 65536):
        raise QuestionError(f"{option} {text}: write a port, or an address and a port: 127.0.0.1:9464")
    return address.strip("[]") or "127.0.0.1", int(port)
