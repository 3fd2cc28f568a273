"""Answers spoilt at random, over all readers: no exception, no line without an account, and time that grows as the text does.

python -m tests.mutations 200000 [SEED]
"""

from __future__ import annotations

import random
import sys
import time
from datetime import UTC, datetime
from pathlib import Path

from nogging.dialects.declared import load_dialect
from nogging.dialects.reader_folders import LIBRARY
from nogging.reading.account import Reading
from nogging.reading.declared import Reader
from nogging.reading.documents import document
from nogging.reading.engine import run
from nogging.reading.reader import load_reader
from nogging.reading.samples import samples
from nogging.records import KINDS

AT = datetime(2026, 11, 23, 2, 0, tzinfo=UTC)
NOISE = (
    "\x00",
    "\x1b[7m",
    "\t",
    "   ",
    "%",
    "<",
    "]",
    "}",
    '"',
    "\\",
    "é",
    "-1",
    "9" * 30,
    "::",
    "0x7f",
    "never",
    "\r",
    "x" * 3000,
)


def accounted(reader: Reader, text: str) -> Reading:
    """Reads a text and checks that each of its lines, or of its leaves, is in exactly one account."""
    reading = run(reader, text, at=AT)
    lines = [line for line in text.split("\n") if line.strip()]
    if reader.notation == "lines":
        assert not {line.line for line in reading.unread} & set(reading.taken)
    known = leaves(reader, text)
    assert len(reading.unread) + reading.read + reading.skipped == (len(lines) if known is None else known)
    for kind, table in reading.records.items():
        assert table.num_rows == reading.counts().get(kind, 0)
        assert not any(row.get(name) is None for row in reading.all_rows(kind) for name in KINDS[kind].required)
    return reading


def leaves(reader: Reader, text: str) -> int | None:
    """How many leaves a document has; None for a text that is none."""
    try:
        bare = load_dialect(reader.dialect).bare_names
        found = document(text, reader.notation, bare) if reader.notation != "lines" else None
    except ValueError:
        return None
    return sum(1 for _ in found.leaves(found.root)) if found is not None else None


def spoilt(text: str, chance: random.Random) -> str:
    """A few lines deleted, doubled, swapped, cut or made noisy, or the whole cut off."""
    lines = text.split("\n")
    for _ in range(chance.randint(1, 6)):
        n, m = chance.randrange(len(lines)), chance.randrange(len(lines))
        at = chance.randint(0, len(lines[n]))
        match chance.randrange(7):
            case 0 if len(lines) > 1:
                del lines[n]
            case 1:
                lines.insert(m, lines[n])
            case 2:
                lines[n], lines[m] = lines[m], lines[n]
            case 3:
                lines[n] = lines[n][:at]
            case 4:
                lines[n] = lines[n][:at] + chance.choice(NOISE) + lines[n][at:]
            case 5:
                lines[n] = lines[n][:at] + lines[m][at:]
            case _:
                lines = lines[: n + 1]
    return "\n".join(lines)


def growth(reader: Reader, text: str) -> float:
    """How many times as long twice the text takes: texts long enough to be told from noise, the best of three each, and
    the least of three such measures where the first is high, for the machine has other things to do as well."""
    once = (text + "\n") * max(200_000 // (len(text) + 1), 1)
    ratio = 9.0
    for _ in range(3):
        best = [min(_seconds(reader, one) for _ in range(3)) for one in (once, once + once)]
        ratio = min(ratio, best[1] / best[0])
        if ratio < 2.2:
            break
    return ratio


def _seconds(reader: Reader, text: str) -> float:
    began = time.perf_counter()
    run(reader, text, at=AT)
    return time.perf_counter() - began


def main(count: int, seed: int) -> None:
    chance = random.Random(seed)
    known = [
        (load_reader(path.with_name(path.name.split(".")[0] + ".yaml")), path.read_text()) for path in samples(LIBRARY)
    ]
    for n in range(count):
        reader, text = known[n % len(known)]
        mutated = spoilt(text, chance)
        try:
            accounted(reader, mutated)
        except Exception:
            Path("mutated.answer").write_text(mutated)
            print(f"{reader.path}: see mutated.answer (number {n}, seed {seed})")
            raise
    ratios = {
        f"{reader.dialect}/{reader.name}": growth(reader, text) for reader, text in known if reader.notation == "lines"
    }
    worst = max(ratios, key=lambda name: ratios[name])
    print(
        f"{count} mutated answers over {len(known)} readers; twice the text takes at most {ratios[worst]:.2f} times as long ({worst})"
    )


if __name__ == "__main__":
    main(int(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 1)
