"""Whoever wants a pass although the network is broken does not get one: each case, judged and compared."""

from __future__ import annotations

from pathlib import Path

import pytest

import nogging
from cases.table import FAIL, NOT_PASS, Case, Network, all_cases
from nogging.captures.capture import Capture
from nogging.captures.manifest import CAPTURED
from nogging.captures.masking import Masker, user_key
from nogging.captures.writing import Writer
from nogging.dialects.declared import load_dialect
from nogging.records.values import interface_spelling

CASES = all_cases()


def captured(folder: Path, case: Case, network: Network, minute: int) -> Capture:
    started = f"2026-11-23T02:{minute:02d}:00+00:00"
    names = load_dialect(case.dialect).long_names
    links = [[[end.split()[0], interface_spelling(end.split()[1], names)] for end in link] for link in case.links]
    with Writer(folder, Masker(user_key()), links=links) as writer:
        for device, answers in network.items():
            writer.begin(device, case.dialect, dict(case.labels))
            for command, text in answers.items():
                writer.answer(device, command, text, started)
            writer.outcome(device, CAPTURED)
    capture = Capture(folder)
    capture.summed_up()
    return capture


def test_there_are_as_many_as_were_promised() -> None:
    assert len(CASES) >= 150


@pytest.mark.parametrize("case", CASES, ids=lambda case: case.name)
def test_case(case: Case, tmp_path: Path) -> None:
    path = tmp_path / "expectations.yaml"
    path.write_text(case.expect)
    quiet = [captured(tmp_path / f"quiet{n}", case, one, n) for n, one in enumerate(case.quiet)]
    before = captured(tmp_path / "before", case, case.before, 9) if case.before is not None else None
    after = captured(tmp_path / "after", case, case.after, 10)
    found = nogging.check(path, after=after, before=before, quiet=quiet)
    said = "; ".join(f"{result.title}: {result.reason}" for result in found.results)
    if case.want == NOT_PASS:
        assert found.verdict.value != "pass", said
    else:
        assert found.verdict.value == case.want, (said, found.unexplained, found.not_compared)
    if case.want == FAIL and case.before is not None and not found.results:
        assert found.unexplained
    if case.differs is not None and before is not None:
        compared = nogging.compare(before, after)
        assert bool(compared.differences or compared.not_compared) == case.differs, compared
