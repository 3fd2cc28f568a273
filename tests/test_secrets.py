"""Nothing secret is kept or shown: a table of lines of each dialect, written from knowledge of their formats.

In `secrets/<dialect>.txt` what is secret stands in double brackets; all else has to stay as it is.
"""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nogging.captures.announcing import HINTS
from nogging.captures.masking import Masker
from nogging.captures.saved import ingest
from nogging.dialects.reader_folders import LIBRARY
from nogging.reading.samples import samples

TABLE = [
    pytest.param(line, id=f"{path.stem}:{n}")
    for path in sorted((Path(__file__).parent / "secrets").glob("*.txt"))
    for n, line in enumerate(path.read_text(encoding="utf-8").splitlines(), 1)
]
MASKED = r"[\"']?<masked:[0-9a-f]{16}>[\"']?"
KEY = b"k" * 32


def masked(text: str, *words: str) -> str:
    return Masker(KEY, words).lines(text)


@pytest.mark.parametrize("line", TABLE)
def test_a_secret_is_masked_and_nothing_else(line: str) -> None:
    found = masked(re.sub("[⟦⟧]", "", line) + "\n")
    wanted = "\0".join(re.escape(one) for one in re.split("⟦.*?⟧", line)).replace("\0", MASKED)
    assert re.fullmatch(wanted + "\n", found)
    assert masked(found) == found, "what is masked is not masked again"


@pytest.mark.parametrize(
    "text",
    [
        "Community            Group / Access      context\n---------            --------------      -------\n"
        "⟦quayRO⟧               network-operator\n⟦gateRW⟧               network-admin\n\nquay  network-admin\n",
        "Community         : no-export\nOrigin            : igp\n",
        "<snmp>\n  <community>\n    <name>⟦quayRO⟧</name>\n  </community>\n</snmp>\n<policy-options>\n  <community>\n"
        "    <name>CUSTOMERS</name>\n    <members>64500:7</members>\n  </community>\n</policy-options>\n",
    ],
)
def test_a_secret_that_a_line_before_announces_is_masked(text: str) -> None:
    found = masked(re.sub("[⟦⟧]", "", text))
    wanted = "\0".join(re.escape(one) for one in re.split("⟦.*?⟧", text)).replace("\0", MASKED)
    assert re.fullmatch(wanted, found)
    assert masked(found) == found, "what is masked is not masked again"


def test_the_table_is_as_long_as_it_is_to_be() -> None:
    assert sum("⟦" in str(one.values[0]) for one in TABLE) >= 720


def test_what_saves_time_decides_nothing(monkeypatch: pytest.MonkeyPatch) -> None:
    lines = [re.sub("[⟦⟧]", "", str(one.values[0])) + "\n" for one in TABLE]
    quick = [masked(line) for line in lines]
    monkeypatch.setattr("nogging.captures.masking.HINTS", (*HINTS, ""))
    assert [masked(line) for line in lines] == quick


def test_answers_without_secrets_stay_as_they_are() -> None:
    """All samples of the library but configurations: thousands of lines of every kind."""
    changed = [
        (path.parent.name, path.name, line)
        for path in (path for folder in LIBRARY.iterdir() if folder.is_dir() for path in samples(folder))
        if not path.name.startswith("settings")
        for line in path.read_text(encoding="utf-8").splitlines(keepends=True)
        if masked(line) != line
    ]
    assert changed == []


@given(st.text(st.characters(min_codepoint=33, exclude_categories=["Cs", "Z", "C"]), min_size=4, max_size=20))
def test_a_word_of_the_run_is_masked_however_it_is_written(word: str) -> None:
    from html import escape
    from urllib.parse import quote

    for written in (word, json.dumps(word), f"<a>{escape(word)}</a>", f"http://192.0.2.1/ {quote(word, safe='')}"):
        assert (
            word not in masked(f" {written} \n", word) or word in " <a></a> http://192.0.2.1/ masked:0123456789abcdef"
        )


def test_read_masks_as_ingest_does_and_what_is_written_is_its_owners(tmp_path: Path) -> None:
    answer = tmp_path / "in" / "r1" / "show_running-config.txt"
    answer.parent.mkdir(parents=True)
    answer.write_text("hostname r1\nfrobnicate password 7 0822455D0A16\nsnmp-server community kelpword RO\n")
    nogging = [sys.executable, "-m", "nogging"]
    told = subprocess.run(
        [*nogging, "read", answer, "--dialect", "ios", "--command", "show running-config", "--format", "json"],
        capture_output=True, text=True, check=False,
    ).stdout  # fmt: skip
    assert "0822455D0A16" not in told and "kelpword" not in told and "<masked:" in told
    subprocess.run([*nogging, "ingest", tmp_path / "in", "--to", tmp_path / "out", "--dialect", "ios"], check=False)
    written = [one for one in (tmp_path / "out").rglob("*") if one.is_file()]
    assert written and not any(one.stat().st_mode & 0o077 for one in written)
    assert not any(b"kelpword" in one.read_bytes() for one in written)
    was = os.umask(0o022)
    try:
        ingest(tmp_path / "in", tmp_path / "library", dialect="ios")
    finally:
        os.umask(was)
    mine = list((tmp_path / "library").rglob("*"))
    assert len(mine) > 3 and not any(one.stat().st_mode & 0o077 for one in (tmp_path / "library", *mine))
