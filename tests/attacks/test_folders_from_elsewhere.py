"""A capture from a ticket, a folder of answers from a colleague: with links, pipes, devices and huge files in it."""

from __future__ import annotations

import copy
import json
import os
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

import nogging
from conftest import here
from nogging.captures.capture import Capture
from nogging.captures.inside import MOST
from nogging.captures.manifest import JOURNAL, MANIFEST
from nogging.captures.writing import RECORDS, Writer
from nogging.errors import CaptureError, NoggingError, QuestionError

ANSWERS = {"mole-r1": {"show interface": "Interface eth1 is up, line protocol is up\n  index 2 metric 0 mtu 1500\n"}}


@pytest.fixture
def came(build: Callable[..., Capture]) -> Path:
    """A capture that came from elsewhere."""
    return build("came", ANSWERS).folder


@pytest.fixture
def secret(tmp_path: Path) -> Path:
    path = tmp_path / "elsewhere" / "key"
    path.parent.mkdir()
    path.write_text("nobody shall see this\n")
    return path


def _a_link(path: Path, secret: Path) -> None:
    path.symlink_to(secret)


def _a_folder_that_is_one(path: Path, secret: Path) -> None:
    path.parent.rmdir()
    shutil.copy(secret, secret.parent / path.name)
    path.parent.symlink_to(secret.parent)


def _a_pipe(path: Path, _secret: Path) -> None:
    os.mkfifo(path)


def _a_device(path: Path, _secret: Path) -> None:
    path.symlink_to("/dev/zero")


def _huge(path: Path, _secret: Path) -> None:
    with path.open("wb") as file:
        file.truncate(2**40)


MAKE = [_a_link, _a_folder_that_is_one, _a_pipe, _a_device, _huge]


@pytest.mark.parametrize("make", MAKE)
def test_an_answer_that_is_no_file_of_the_capture_is_not_read(
    came: Path, secret: Path, make: Callable[..., None]
) -> None:
    (answer,) = (came / "answers").rglob("*.txt")
    answer.unlink()
    make(answer, secret)
    capture = nogging.open_capture(came)
    assert capture.devices["mole-r1"].commands["show interface"].outcome == "altered"
    assert capture.records("interface").num_rows == capture.records("unread").num_rows == 0
    with pytest.raises(CaptureError):
        capture.answer("mole-r1", "show interface")


@pytest.mark.parametrize("make", [one for one in MAKE if one is not _a_folder_that_is_one])
@pytest.mark.parametrize("name", [MANIFEST, JOURNAL])
def test_a_manifest_that_is_no_file_of_the_capture_is_not_read(came: Path, secret: Path, make: Callable[..., None], name: str) -> None:  # fmt: skip
    (came / MANIFEST).unlink()
    make(came / name, secret)
    with pytest.raises(NoggingError, match=r"no manifest|cannot be read|there is no capture here") as told:
        nogging.open_capture(came)
    assert "nobody shall see" not in str(told.value)


def test_nothing_is_written_where_a_link_leads_to(came: Path, secret: Path) -> None:
    shutil.rmtree(came / RECORDS)
    (came / RECORDS).symlink_to(secret.parent)
    (came / f"{MANIFEST}.part").symlink_to(secret)
    assert nogging.open_capture(came).records("interface").num_rows == 1
    nogging.open_capture(came).summed_up()
    assert [path.name for path in secret.parent.iterdir()] == ["key"] and "nobody" in secret.read_text()
    shutil.rmtree(came / "answers")
    (came / "answers").symlink_to(secret.parent)
    with pytest.raises(CaptureError, match="a capture cannot be written here"), Writer(came, resume=True):
        pass
    assert [path.name for path in secret.parent.iterdir()] == ["key"]


@pytest.mark.parametrize("make", [one for one in MAKE if one is not _a_folder_that_is_one])
def test_saved_answers_are_files(tmp_path: Path, secret: Path, make: Callable[..., None]) -> None:
    (tmp_path / "saved" / "mole-r1").mkdir(parents=True)
    make(tmp_path / "saved" / "mole-r1" / "show_interface.txt", secret)
    with pytest.raises(QuestionError, match=r"is a link|no regular file|larger than"):
        nogging.ingest(tmp_path / "saved", tmp_path / "made", dialect="frr")
    (tmp_path / "saved" / "otter-r1").symlink_to(secret.parent)
    with pytest.raises(QuestionError):
        nogging.ingest(tmp_path / "saved", tmp_path / "made", dialect="frr")


def test_a_cache_that_nobody_vouches_for_is_not_opened(came: Path) -> None:
    for path in (came / RECORDS).glob("*.parquet"):
        with path.open("wb") as file:
            file.truncate(2**40)
    assert nogging.open_capture(came).records("interface").num_rows == 1


def test_a_file_that_nobody_wrote_by_hand_is_refused(tmp_path: Path, came: Path) -> None:
    for name, text in (("deep", "[" * 100_000), ("wide", "a" * 51_000_000), ("aliases", _laughing())):
        (tmp_path / name).write_text(text)
        with pytest.raises(QuestionError, match=r"nest|larger|far too many"):
            nogging.check(tmp_path / name, after=came)
    assert MOST < 2**30


def _laughing() -> str:
    return "a0: &a0 [x]\n" + "".join(f"a{n}: &a{n} [{', '.join([f'*a{n - 1}'] * 10)}]\n" for n in range(1, 9))


@pytest.mark.parametrize("file", ["journal.jsonl", "judgement.json"])
@pytest.mark.parametrize(
    "text",
    [
        '{"at": 3, "event": "end"}\n',
        '{"at": "x", "event": "sent"}\n',
        "[" * 100_000 + "\n",
        "0\n",
        '{"judgement": {"verdict": "splendid"}}\n',
    ],
)
def test_a_performance_that_makes_no_sense_is_told(came: Path, tmp_path: Path, file: str, text: str) -> None:
    came.rename(tmp_path / "after")
    (tmp_path / "change.yaml").write_text("expect: []\n")
    (tmp_path / "journal.jsonl").write_text('{"at": "2026-11-23T02:00:00+00:00", "event": "begin", "title": "x"}\n')
    with (tmp_path / file).open("a") as written:
        written.write(text)
    for command in (["report"], ["report", "--format", "markdown"], ["moments"]):
        status, _, complaints = here(*command, tmp_path)
        assert status in (0, 2) and "fault" not in complaints, (command, complaints)


def test_a_manifest_whose_values_are_of_another_sort_is_none(came: Path) -> None:
    manifest = came / MANIFEST
    kept = json.loads(manifest.read_text())
    for path, value in (
        (("labels", "site"), 3),
        (("skew",), "x"),
        (("outcome",), [1]),
        (("commands",), []),
        (("labels",), None),
    ):
        data = copy.deepcopy(kept)
        place = data["devices"]["mole-r1"]
        for name in path[:-1]:
            place = place[name]
        place[path[-1]] = value
        manifest.write_text(json.dumps(data))
        with pytest.raises(CaptureError, match="no manifest of a capture"):
            nogging.open_capture(came)
    manifest.unlink()
    (came / JOURNAL).write_text("0\n")
    with pytest.raises(CaptureError, match="cannot be understood"):
        nogging.open_capture(came)
