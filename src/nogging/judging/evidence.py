"""From a record to the very lines of the answer that it was read from."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from nogging.captures.capture import Capture
from nogging.judging.verdict import Evidence
from nogging.reading.account import Reading

MOST_LINES = 12
AROUND = 2


class EvidenceLines:
    """The answers of a capture, read again for their lines, each once."""

    def __init__(self, capture: Capture, when: str) -> None:
        self.capture, self.when = capture, when
        self.answers: dict[tuple[str, str], tuple[list[str], Reading | None]] = {}

    def of(self, record: Mapping[str, Any], fields: Collection[str]) -> list[Evidence]:
        """The first line of a record and those that gave one of the fields, with two lines around; of a long record,
        not more than fit."""
        command = str(record["answer"])
        texts, reading = self._answer(str(record["device"]), command)
        first, last = record["line"]
        taken = reading.taken if reading is not None else {}
        telling = [n for n in range(first, last + 1) if n == first or set(taken.get(n, ())) & set(fields)][:MOST_LINES]
        near = {n + step for n in telling for step in range(-AROUND, AROUND + 1)}
        wanted = [
            n for n in sorted({*telling, *near}) if 0 < n <= len(texts) and (n in telling or texts[n - 1].strip())
        ]
        return [Evidence(self.when, command, n, texts[n - 1], around=n not in telling) for n in wanted]

    def _answer(self, device: str, command: str) -> tuple[list[str], Reading | None]:
        key = (device, command)
        if key not in self.answers:
            text = self.capture.answer(device, command)
            self.answers[key] = (text.split("\n"), self.capture.read(device, command))
        return self.answers[key]
