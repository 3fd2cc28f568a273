"""Writes `docs/records.md`, `docs/dialects.md` and the JSON Schemas of `src/nogging/schemas/` from what is declared:
the kinds, the readers and the models of the files. Run it after changing one; a test compares."""

from __future__ import annotations

import json
from pathlib import Path

from nogging.changes.declared import ChangeModel
from nogging.dialects.declared import Dialect, dialects, load_dialect
from nogging.inventory import InventoryModel
from nogging.judging.expectations import ExpectationsModel
from nogging.reading.declared import Reader, ReaderModel
from nogging.reading.reader import readers
from nogging.records import KINDS, Field, Kind

NATURES = """\
| nature | what a comparison does with it |
| --- | --- |
| `key` | matches the records of two captures; null equals null |
| `member` | tells apart several records of one key, which are compared as a set |
| `state` | must be equal |
| `counter` | may grow; going backwards is a restart, unless it wrapped or was cleared |
| `gauge` | may differ by a tenth |
| `timer` | is kept as the moment it began; a moment later than its resolution and the clocks allow is a restart |
| `note` | is not compared |
"""


def document() -> str:
    head = "# Records\n\nWritten by `docs/generate.py` from the declarations in `src/nogging/records/`.\n\n"
    common = "Each record also has `device`, the `answer` it was read from, and its first and last `line` there.\n"
    return head + NATURES + "\n" + common + "".join(_kind(kind) for kind in KINDS.values())


def _kind(kind: Kind) -> str:
    rows = "".join(_row(field) for field in kind.own)
    head = f"\n## `{kind.name}`\n\n{kind.meaning[:1].upper()}{kind.meaning[1:]} ({kind.standard}).\n\n"
    return head + "| field | type | nature | meaning | standard |\n| --- | --- | --- | --- | --- |\n" + rows


def _row(field: Field) -> str:
    words = f": {', '.join(f'`{value}`' for value in field.values)}" if field.values else ""
    unit = f" in {field.unit}" if field.unit else ""
    return f"| `{field.name}` | {field.type}{unit} | {field.nature} | {field.meaning}{words} | {field.standard} |\n"


def matrix() -> str:
    """Which dialect gives which kinds, by which commands, and what that was proven on."""
    spoken = [name for name in dialects() if readers(name)]
    head = "# Dialects\n\nWritten by `docs/generate.py` from the readers in `src/nogging/reading/library/`.\n\n"
    head += (
        "R: proven on a real system, named below; F: written from knowledge of the format; empty: no reader yet.\n\n"
    )
    rows = "".join(
        f"| `{kind.name}` | {' | '.join(_cell(name, kind) for name in spoken)} |\n" for kind in KINDS.values()
    )
    table = f"| kind | {' | '.join(f'`{name}`' for name in spoken)} |\n| --- |{' :---: |' * len(spoken)}\n{rows}"
    return head + table + "".join(_dialect(name) for name in spoken)


def _cell(dialect: str, kind: Kind) -> str:
    giving = [reader for reader in readers(dialect) if kind in reader.kinds]
    return ("R" if any(reader.proven for reader in giving) else "F") if giving else ""


def _dialect(name: str) -> str:
    rows = "".join(_reader(reader) for reader in readers(name))
    head = f"\n## `{name}`\n\n{load_dialect(name).meaning[:1].upper()}{load_dialect(name).meaning[1:]}.\n\n"
    return f"{head}| command | form | kinds | |\n| --- | --- | --- | --- |\n{rows}"


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
}


def schemas() -> dict[str, str]:
    """The JSON Schema (2020-12) of each sort of file, for an editor to check it while it is written."""
    head = {"$schema": "https://json-schema.org/draft/2020-12/schema"}
    return {name: json.dumps({**head, **model.model_json_schema()}, indent=1) + "\n" for name, model in SCHEMAS.items()}


if __name__ == "__main__":
    place = Path(__file__).parent.parent / "src" / "nogging" / "schemas"
    for name, text in schemas().items():
        (place / f"{name}.schema.json").write_text(text)
    Path(__file__).with_name("dialects.md").write_text(matrix())
    Path(__file__).with_name("records.md").write_text(document())
