"""Writes `docs/records.md` from the declarations of the kinds. Run it after changing one; a test compares."""

from __future__ import annotations

from pathlib import Path

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


if __name__ == "__main__":
    Path(__file__).with_name("records.md").write_text(document())
