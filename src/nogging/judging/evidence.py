"""From a record to the very lines of the answer that it was read from."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from nogging.captures.capture import Capture
from nogging.judging.verdict import Evidence
from nogging.reading.account import Reading

MOST_LINES = 12


class Lines:
    """The answers of a capture, read again for their lines, each once."""

    def __init__(self, capture: Capture, when: str) -> None:
        self.capture, self.when = capture, when
        self.answers: dict[tuple[str, str], tuple[list[str], Reading | None]] = {}

    def of(self, record: Mapping[str, Any], fields: Collection[str]) -> list[Evidence]:
        """The first line of a record and those that gave one of the fields; of a long record, not more than fit."""
        command = str(record["answer"])
        texts, reading = self._answer(str(record["device"]), command)
        first, last = record["line"]
        taken = reading.taken if reading is not None else {}
        wanted = [n for n in range(first, last + 1) if n == first or set(taken.get(n, ())) & set(fields)]
        return [Evidence(self.when, command, n, texts[n - 1]) for n in wanted[:MOST_LINES]]

    def _answer(self, device: str, command: str) -> tuple[list[str], Reading | None]:
        key = (device, command)
        if key not in self.answers:
            text = self.capture.answer(device, command)
            self.answers[key] = (text.split("\n"), self.capture.read(device, command))
        return self.answers[key]
