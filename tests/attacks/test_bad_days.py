"""A disk that is full, at each moment; two that write at once; a process that was killed before it had told anything."""

from __future__ import annotations

import resource
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

import nogging
from conftest import Sound
from nogging.captures.writing import Writer
from nogging.changes.file.declared import load_change
from nogging.changes.run.journal import JOURNAL
from nogging.changes.run.outcome import CHANGE, State
from nogging.changes.run.performing import perform
from nogging.errors import CaptureError, QuestionError
from nogging.standin import served


def nogging_with(room: int | None, *arguments: str | Path) -> subprocess.CompletedProcess[str]:
    """Runs a command for which no file can grow beyond so many octets."""

    def narrowed() -> None:
        if room is not None:
            resource.setrlimit(resource.RLIMIT_FSIZE, (room, room))

    command = [sys.executable, "-m", "nogging", *map(str, arguments)]
    done = subprocess.run(command, capture_output=True, text=True, preexec_fn=narrowed, check=False)
    assert done.returncode in (0, 2) and "Traceback" not in done.stderr and "fault" not in done.stderr, done
    return done


@pytest.mark.parametrize("room", [60, 3000, 20000])
def test_a_capture_on_a_full_disk_is_told_and_gone_on_with(sound: Sound, tmp_path: Path, room: int) -> None:
    inventory, folder = sound.folder / "inventory.yaml", tmp_path / "capture"
    done = nogging_with(room, "capture", inventory, "--to", folder)
    assert done.returncode == 0 or f"{folder}: " in done.stderr, done.stderr
    begun = (folder / "capture.json").exists() or (folder / "journal.jsonl").exists()
    again = nogging_with(None, "capture", inventory, "--to", folder, *(["--resume"] if begun else []))
    assert again.returncode == 0 and all(
        device.outcome == "captured" for device in nogging.open_capture(folder).devices.values()
    )


def test_what_is_written_of_a_capture_names_the_file_that_found_no_room(sound: Sound, tmp_path: Path) -> None:
    capture = nogging.capture(sound.inventory, to=tmp_path / "capture")
    page = tmp_path / "page.html"
    assert f"{page}: File too large" in nogging_with(1000, "report", capture.folder, "--to", page).stderr
    assert [path.name for path in tmp_path.iterdir()] == ["capture"]
    made = nogging_with(500, "ingest", capture.folder / "answers", "--to", tmp_path / "made", "--dialect", "frr")
    assert f"{tmp_path / 'made'}: " in made.stderr


def test_a_full_place_for_what_is_printed_is_told(sound: Sound, tmp_path: Path) -> None:
    nogging.capture(sound.inventory, to=tmp_path / "capture")
    with Path("/dev/full").open("w") as full:
        command = [sys.executable, "-m", "nogging", "records", "interface", str(tmp_path / "capture")]
        done = subprocess.run(command, stdout=full, stderr=subprocess.PIPE, text=True, check=False)
    assert done.returncode == 2 and done.stderr == "nogging: No space left on device\n"


def test_two_captures_do_not_meet_in_one_folder(tmp_path: Path, build: Callable[..., object]) -> None:
    with Writer(tmp_path / "one"):
        with pytest.raises(CaptureError, match="a capture is being written here"), Writer(tmp_path / "one"):
            pass
        with (
            pytest.raises(CaptureError, match="a capture is being written here"),
            Writer(tmp_path / "one", resume=True),
        ):
            pass
    with Writer(tmp_path / "one"):
        pass


@pytest.mark.parametrize("left", [[CHANGE, JOURNAL]])
def test_a_performance_that_was_killed_before_its_first_event_leaves_a_folder_to_use(tmp_path: Path, left: list[str]) -> None:  # fmt: skip
    with served(tmp_path / "sound") as network:
        folder = tmp_path / "performed"
        folder.mkdir()
        for name in left:
            (folder / name).touch()
        if JOURNAL in left:
            (folder / JOURNAL).write_text('{"at": "2026-01-')
        assert perform(load_change(network.change), to=folder).state is State.IN
        with pytest.raises(QuestionError, match="is there already"):
            perform(load_change(network.change), to=folder)


FLOODED = """
import signal, time
from nogging.changes.run import stopping
stopping._LOOKS_UP = 0.0005
signal.signal(signal.SIGALRM, lambda *_: None)
signal.setitimer(signal.ITIMER_REAL, 0.0005, 0.00037)
stopping.Stop().run(lambda: time.sleep(0.5))
signal.setitimer(signal.ITIMER_REAL, 0)
"""


def test_a_signal_in_the_moment_that_a_wait_ends_does_not_make_it_wait_for_ever() -> None:
    with subprocess.Popen([sys.executable, "-c", FLOODED]) as running:
        try:
            assert running.wait(timeout=60) == 0
        finally:
            running.kill()
