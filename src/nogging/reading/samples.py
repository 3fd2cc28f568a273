"""Samples beside a reader: `NAME.answer`, the text of an answer, and `NAME.records.yaml`, the records it must give.

The records file names the command and the moment of the answer, lists the records of each kind without what is
null (each with its first and last line), and the numbers of the lines that stay unread:

    command: show version
    at: 2026-11-23T07:00:00Z
    records:
      system:
        - {hostname: mole-r1, os_name: frr, os_release: 8.4.4, line: '1'}
    unread: []

`python -m nogging.reading.samples NAME.answer "COMMAND"` writes it as the answer is read today.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from pydantic import Field

from nogging.files import Strict, dump, load
from nogging.reading.engine import run
from nogging.reading.reader import load_reader
from nogging.records.field import REMAINDER

ANSWER, RECORDS = ".answer", ".records.yaml"


class SampleModel(Strict):
    command: str
    at: str
    records: dict[str, list[dict[str, Any]]]
    unread: list[int] = Field(default_factory=list)


def samples(folder: str | Path) -> Iterator[Path]:
    """The answers below a folder of readers."""
    return iter(sorted(Path(folder).glob(f"**/*{ANSWER}")))


def read_sample(answer: Path) -> tuple[dict[str, Any], dict[str, Any]]:
    """What a sample must give and what it gives, in the same plain form: equal where all is well."""
    model, _ = load(answer.with_name(answer.name.removesuffix(ANSWER) + RECORDS), SampleModel)
    return model.model_dump(), _given(answer, model.command, model.at)


def written(answer: Path, command: str, at: str) -> str:
    """The records file for an answer as it is read today: to be looked at, then kept."""
    return dump(_given(answer, command, at))


def _given(answer: Path, command: str, at: str) -> dict[str, Any]:
    """What a sample gives today, read as its command was asked."""
    reader = load_reader(answer.with_name(answer.name.split(".")[0] + ".yaml"))
    reading = run(reader, answer.read_text(), at=datetime.fromisoformat(at).astimezone(UTC), command=command)
    records = {kind: [_row(row) for row in rows] for kind, rows in reading.rows.items()}
    return {"command": command, "at": at, "records": records, "unread": [unread.line for unread in reading.unread]}


def _row(row: dict[str, Any]) -> dict[str, Any]:
    kept = {
        name: value
        for name, value in row.items()
        if value is not None and name not in ("device", "answer", REMAINDER.name)
    }
    kept["line"] = "-".join(str(n) for n in dict.fromkeys(row["line"]))
    return {name: value.isoformat() if isinstance(value, datetime) else value for name, value in kept.items()}


if __name__ == "__main__":
    _answer, _command = Path(sys.argv[1]), sys.argv[2]
    _records = written(_answer, _command, "2026-11-23T07:00:00Z")
    _answer.with_name(_answer.name.removesuffix(ANSWER) + RECORDS).write_text(_records)
    print(f"{_records}Look at it line by line before you keep it.")
