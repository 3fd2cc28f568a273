"""What was captured again and again, as one: a history, of which every moment opens as a capture.

    watched/
      history.json            format, and the rules by which older moments are let go
      turn/                   the last turn, a capture like any other
      2026-W47.turns          a line of JSON for each moment of that week, in the order in which they came
      2026-W47.pack           their texts, each as what it differs in from an earlier one

A moment is the manifest of a capture, the places of its answers, and what changed in its records. Its line is written
after all that it speaks of is on the disk: what was killed before that did not happen, and what it left in the pack is
taken away when the next one begins. An answer that was there before is not stored again.
"""

from __future__ import annotations

import contextlib
import json
import os
import re
import zlib
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cached_property
from pathlib import Path
from types import TracebackType
from typing import Any

from nogging.captures import inside
from nogging.captures.manifest import MANIFEST, Manifest
from nogging.captures.names import file_name, folder_name
from nogging.captures.packs import Pack, PackPlace
from nogging.captures.thinning import Rules, left
from nogging.captures.writing import ANSWERS, digest_in, replace_octets, replace_text
from nogging.errors import CaptureError, QuestionError
from nogging.records.values import short_span

FORMAT = 1
HISTORY, TURN = "history.json", "turn"
TURNS, PACK = ".turns", ".pack"
NOW, FIRST = "now", "first"
_BEGINNING = datetime(1, 1, 2, tzinfo=UTC)

AnswerPlaces = dict[str, tuple[str, PackPlace]]
"""The answers of a moment, by the path of their file: the digest of each and its place."""


@dataclass(frozen=True)
class Turn:
    """One moment of a history. `missed` counts the turns before it that should have been and were not."""

    at: datetime
    pack: str
    manifest: PackPlace
    contents: PackPlace
    changes: PackPlace
    digest: str
    end: int
    missed: int = 0

    def line(self) -> str:
        told = {
            "at": self.at.isoformat(timespec="milliseconds"),
            **{name: getattr(self, name).told() for name in ("manifest", "contents", "changes")},
            "digest": self.digest,
            "end": self.end,
            "missed": self.missed,
        }
        return json.dumps({**told, "check": _check_of(told)}) + "\n"

    @classmethod
    def of(cls, line: str, pack: str) -> Turn:
        """`ValueError` or its like for a line that is none."""
        told = json.loads(line)
        check = told.pop("check", None)  # lines of before had none
        if check is not None and check != _check_of(told):
            raise ValueError("it is not as it was written")
        manifest, contents, changes = (PackPlace.of(told[name]) for name in ("manifest", "contents", "changes"))
        at, digest, end, missed = datetime.fromisoformat(told["at"]), str(told["digest"]), told["end"], told["missed"]
        if at.tzinfo is None or type(end) is not int or type(missed) is not int:
            raise ValueError("a moment without a zone, or a number that is none")
        return cls(at, pack, manifest, contents, changes, digest, end, missed)


def _check_of(told: dict[str, Any]) -> int:
    """What tells that a line is as it was written; a digest of the texts that it leads to stands in it."""
    return zlib.crc32(json.dumps(told).encode())


def is_history(folder: Path) -> bool:
    """Whether a folder holds a history."""
    return (folder / HISTORY).is_file()


def split(path: str | Path) -> tuple[Path, str] | None:
    """The folder of a history and the moment that is meant, of `DIR@MOMENT` or `DIR`; None for what is no history."""
    text = str(path)
    if is_history(Path(text)):
        return Path(text), NOW
    folder, at, moment = text.rpartition("@")
    return (Path(folder), moment) if at and not Path(text).exists() and is_history(Path(folder)) else None


class _Week:
    """The moments of one week, and the file of their texts; read when somebody asks for them."""

    def __init__(self, name: str, folder: Path, fresh: Pack | None = None) -> None:
        self.name, self.folder = name, folder
        self.where: AnswerPlaces = {}
        """The answers of its last moment, where they are known."""
        if fresh is not None:
            self._told = (fresh, [], [])

    @cached_property
    def _told(self) -> tuple[Pack | None, list[Turn], list[str]]:
        """Its pack, None where it cannot be told which file that is, its moments, and what cannot be understood."""
        path = self.folder / f"{self.name}{TURNS}"
        lines = inside.octets(path, self.folder).decode("utf-8", "replace").splitlines(keepends=True)
        try:
            pack = str(json.loads(lines[0])["pack"])
            if not re.fullmatch(r"[\w-]+(\.\d+)?\.pack", pack, re.ASCII):
                raise ValueError(f"'{pack}' is no file of texts")
        except (IndexError, ValueError, TypeError, KeyError, RecursionError) as error:
            return None, [], [f"{path}: cannot be understood ({error}); the moments of this week are lost"]
        turns, damage = [], []
        for number, line in enumerate(lines[1:], 2):
            try:
                turns.append(Turn.of(line, self.name))
            except (ValueError, TypeError, KeyError, AttributeError, OverflowError, RecursionError) as error:
                if line.endswith("\n") or "}" in line:  # else it was cut off, and did not happen
                    damage.append(f"{path}:{number}: a moment cannot be understood ({error})")
        return Pack(self.folder / pack), turns, damage

    @property
    def is_known(self) -> bool:
        return self._told[0] is not None

    @property
    def pack(self) -> Pack:
        pack = self._told[0]
        assert pack is not None, "it has moments"
        return pack

    @property
    def turns(self) -> list[Turn]:
        """In the order in which they were stored."""
        return self._told[1]

    @property
    def damage(self) -> list[str]:
        return self._told[2]


class History:
    """A history that is open. Raises `CaptureError` where there is none, or one of another format."""

    def __init__(self, folder: str | Path) -> None:
        self.folder = Path(folder)
        try:
            told = json.loads(inside.octets(self.folder / HISTORY, self.folder))
            if told.get("format") != FORMAT:
                raise CaptureError(f"{folder}: this is format {told.get('format')}; this Nogging reads {FORMAT}")
            self.rules = Rules.of(told.get("keep", {}))
        except FileNotFoundError:
            raise CaptureError(f"{folder}: there is no history here; make one with 'nogging keep'") from None
        except (OSError, ValueError, TypeError, AttributeError, RecursionError, QuestionError) as error:
            raise CaptureError(f"{self.folder / HISTORY}: cannot be read: {error}") from None
        paths = sorted(self.folder.glob(f"*{TURNS}"))
        self._weeks = {path.stem: _Week(path.stem, self.folder) for path in paths}
        self._lock: int | None = None

    @property
    def damage(self) -> list[str]:
        """What cannot be understood of it, without a look at its texts."""
        return [damage for week in self._weeks.values() for damage in week.damage]

    @property
    def turns(self) -> list[Turn]:
        """All moments, in the order of time."""
        return sorted((turn for week in self._weeks.values() for turn in week.turns), key=lambda turn: turn.at)

    def turn(self, moment: str) -> Turn:
        """The moment that is meant: `now` (the last one), `first`, the last one at or before `2026-11-20T02:00` (UTC),
        or before `90m` ago, counted from the last. Raises `QuestionError` for what is no moment, or before all."""
        last = self._last()
        if last is None:
            raise CaptureError(f"{self.folder}: nothing was captured yet")
        if moment in (NOW, ""):
            return last
        weeks = list(self._weeks.values())
        if moment != FIRST:
            until = _until(moment, last.at)
            name = _week_of(until)
            for week in reversed([other for other in weeks if other.name <= name]):
                if until_then := [turn for turn in week.turns if turn.at <= until]:
                    return max(until_then, key=lambda turn: turn.at)
        first = min(next(week.turns for week in weeks if week.turns), key=lambda week: week.at)
        if moment == FIRST:
            return first
        told = first.at.isoformat(timespec="minutes")
        raise QuestionError(f"{self.folder}@{moment}: the history begins later, at {told}")

    def texts(self, turn: Turn) -> tuple[bytes, AnswerPlaces]:
        """The manifest of a moment, and where its answers are."""
        pack = self._weeks[turn.pack].pack
        manifest = pack.text(turn.manifest)
        if digest_in(manifest) != turn.digest:
            raise CaptureError(f"{pack.path}: damaged: the manifest of {turn.at.isoformat()} is another")
        try:
            digests = _digests(Manifest.parse(manifest.decode(), str(pack.path)))
            places = json.loads(pack.text(turn.contents))  # in the order in which the manifest tells of the answers
            return manifest, {
                name: (digest, PackPlace.of(place))
                for (name, digest), place in zip(digests.items(), places, strict=True)
            }
        except (ValueError, TypeError, AttributeError, KeyError, RecursionError) as error:
            raise CaptureError(f"{pack.path}: damaged: {error}") from None

    def answer(self, turn: Turn, digest: str, place: PackPlace) -> bytes:
        """The text of an answer; `CaptureError` where it is not the one that was stored."""
        pack = self._weeks[turn.pack].pack
        text = pack.text(place)
        if digest_in(text) != digest:
            raise CaptureError(f"{pack.path}: damaged at octet {place.offset}: the text is another")
        return text

    def changes(self, turn: Turn) -> list[Any]:
        """What changed in the records with this moment, as it was stored."""
        pack = self._weeks[turn.pack].pack
        try:
            changes = json.loads(pack.text(turn.changes))
        except (ValueError, RecursionError) as error:
            raise CaptureError(f"{pack.path}: damaged: {error}") from None
        return changes if isinstance(changes, list) else []

    def laid_out(self, turn: Turn, folder: Path) -> None:
        """Writes a moment into a folder, as the capture that it was. An answer that is damaged is left out, and the
        capture says of it that it is not what was captured."""
        manifest, where = self.texts(turn)
        folder.mkdir(inside.mode(folder=True), parents=True, exist_ok=True)
        for name, of_answer in where.items():
            inside.directory((folder / ANSWERS / name).parent, folder)
            with contextlib.suppress(CaptureError):
                octets = self.answer(turn, *of_answer)
                with inside.anew(folder / ANSWERS / name) as file:
                    file.write(octets)
        replace_octets(folder / MANIFEST, manifest)

    def check(self) -> Iterator[str]:
        """What is damaged: every text is read and held against its digest."""
        yield from self.damage
        for turn in self.turns:
            try:
                _, where = self.texts(turn)
                self.changes(turn)
            except (CaptureError, ValueError) as error:
                yield f"{turn.at.isoformat(timespec='seconds')}: cannot be opened: {error}"
                continue
            for name, (digest, place) in where.items():
                try:
                    self.answer(turn, digest, place)
                except CaptureError as error:
                    yield f"{turn.at.isoformat(timespec='seconds')}: {name}: {error}"

    @property
    def octets(self) -> int:
        """How much it takes on the disk, without the turn that is laid out."""
        return sum(path.stat().st_size for path in self.folder.iterdir() if path.is_file())

    # -- writing ----------------------------------------------------------------------------------------------------

    def __enter__(self) -> History:
        try:
            self._lock = inside.locked(self.folder)
        except BlockingIOError:
            raise CaptureError(f"{self.folder}: somebody else is writing this history") from None
        named = {week.pack.path for week in self._weeks.values() if week.is_known}
        for path in self.folder.glob(f"*{PACK}") if not self.damage else ():
            if path not in named:
                path.unlink()  # what was killed while it wrote a week anew left it
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        if self._lock is not None:
            os.close(self._lock)
            self._lock = None

    def add(self, manifest: Manifest, folder: Path, changes: list[Any], missed: int = 0) -> Turn:
        """Stores a moment: its manifest, and those of its answers in `folder` that are not known. What the manifest
        tells of and the folder does not have is as it was the moment before."""
        last = self._last()
        where = (self._weeks[last.pack].where or self.texts(last)[1]) if last else {}

        def text(name: str, digest: str) -> bytes:
            if where.get(name, ("",))[0] == digest and last is not None:
                return self.answer(last, *where[name])
            try:
                octets = inside.octets(folder / ANSWERS / name, folder)
            except OSError as error:
                raise CaptureError(f"{folder / ANSWERS / name}: cannot be read: {error.strerror}") from None
            if digest_in(octets) != digest:
                raise CaptureError(f"{folder / ANSWERS / name}: was changed since it was captured")
            return octets

        at = datetime.fromisoformat(manifest.ended).astimezone(UTC)
        week = self._open_week(at)
        turn = self._append(week, at, manifest.text().encode(), _digests(manifest), text, changes, missed)
        with (self.folder / f"{week.name}{TURNS}").open("ab") as file:
            file.write(turn.line().encode())
            file.flush()
            os.fsync(file.fileno())
        week.turns.append(turn)
        return turn

    def _last(self) -> Turn | None:
        """The moment that was stored last."""
        weeks = (week.turns for week in reversed(self._weeks.values()) if week.turns)
        return max(next(weeks, []), key=lambda turn: turn.at, default=None)

    def _append(
        self,
        week: _Week,
        at: datetime,
        manifest: bytes,
        digests: Mapping[str, str],
        text: Callable[[str, str], bytes],
        changes: list[Any],
        missed: int,
    ) -> Turn:
        """Puts the texts of a moment into the pack of a week: those that it does not have, each held against the one of
        the same name that the moment before had."""
        last = week.turns[-1] if week.turns else None
        before = week.where or (self.texts(last)[1] if last else {})
        known = dict(before.values())
        new = {digest: name for name, digest in digests.items() if digest not in known}
        texts = [(text(name, digest), before[name][1] if name in before else None) for digest, name in new.items()]
        known.update(zip(new, week.pack.add(texts), strict=True))
        week.where = {name: (digest, known[digest]) for name, digest in digests.items()}
        contents = json.dumps([place.told() for _, place in week.where.values()])
        ends = week.pack.add(
            [
                (manifest, last.manifest if last else None),
                (contents.encode(), last.contents if last else None),
                (json.dumps(changes).encode(), None),
            ]
        )
        own, held, changed = ends
        return Turn(
            at=at,
            pack=week.name,
            manifest=own,
            contents=held,
            changes=changed,
            digest=digest_in(manifest),
            end=changed.offset + changed.length,
            missed=missed,
        )

    def _open_week(self, at: datetime) -> _Week:
        name = _week_of(at)
        week, path = self._weeks.get(name), self.folder / f"{name}{TURNS}"
        if week is None or not week.is_known:
            if path.exists():
                path.rename(path.with_suffix(f"{TURNS}.damaged"))  # whoever can may still find out what it says
            week = self._weeks[name] = _Week(name, self.folder, self._fresh(name))
            self._weeks = dict(sorted(self._weeks.items()))
            replace_text(path, _head(week.pack))
        else:
            _without_a_torn_end(path)
        return week

    def _fresh(self, name: str) -> Pack:
        """An empty pack of a week, beside those that there are."""
        numbers = ("", *(f".{n}" for n in range(2, 10_000)))
        paths = (self.folder / f"{name}{number}{PACK}" for number in numbers)
        pack = Pack(next(path for path in paths if not path.exists()))
        pack.begin()
        return pack

    def manifest(self, turn: Turn) -> Manifest:
        """What a moment tells of each command."""
        return Manifest.parse(self.texts(turn)[0].decode(), str(self.folder))

    def last_manifest(self) -> Manifest | None:
        """What the moment that was stored last tells; None where nothing was stored yet."""
        last = self._last()
        return self.manifest(last) if last else None

    def sizes(self) -> dict[Turn, int]:
        """How many octets each moment took, in the order of time."""
        sizes = {}
        for week in self._weeks.values():
            for before, turn in zip([0, *(earlier.end for earlier in week.turns)], week.turns, strict=False):
                sizes[turn] = turn.end - before
        return {turn: sizes[turn] for turn in self.turns}

    def thin(self, now: datetime) -> int:
        """Lets go of moments by the rules of the history; how many. A week is written anew, beside what is there, and
        takes its place at once."""
        kept = set(left(self.rules, [turn.at for turn in self.turns], now))
        gone = 0
        for week in list(self._weeks.values()):
            staying = [turn for turn in week.turns if turn.at in kept]
            if len(staying) == len(week.turns) or not _worth_it(week, staying, now):
                continue
            gone += len(week.turns) - len(staying)
            self._rewritten(week, staying)
        return gone

    def _rewritten(self, week: _Week, staying: list[Turn]) -> None:
        path = self.folder / f"{week.name}{TURNS}"
        if not staying:
            path.unlink()
            week.pack.path.unlink(missing_ok=True)
            del self._weeks[week.name]
            return
        fresh = _Week(week.name, self.folder, self._fresh(week.name))
        lines = [_head(fresh.pack)]
        changes: list[Any] = []
        for turn in week.turns:
            changes += self.changes(turn)  # what is let go changed something as well
            if turn not in staying:
                continue
            manifest, where = self.texts(turn)

            def text(name: str, digest: str, turn: Turn = turn, where: AnswerPlaces = where) -> bytes:
                return self.answer(turn, digest, where[name][1])

            digests = {name: digest for name, (digest, _) in where.items()}
            fresh.turns.append(self._append(fresh, turn.at, manifest, digests, text, changes, turn.missed))
            lines.append(fresh.turns[-1].line())
            changes = []
        replace_text(path, "".join(lines))
        self._weeks[week.name] = fresh
        week.pack.path.unlink(missing_ok=True)


def begun(folder: str | Path, rules: Rules | None = None) -> History:
    """The history in a folder, made where there is none; `rules`, where given, are its rules from now on."""
    folder = Path(folder)
    try:
        folder.mkdir(inside.mode(folder=True), parents=True, exist_ok=True)
        if not is_history(folder):
            if any(folder.iterdir()):
                raise CaptureError(f"{folder}: there is something in it, and it is no history; name an empty folder")
            replace_text(folder / HISTORY, json.dumps({"format": FORMAT, "keep": (rules or Rules()).told()}) + "\n")
        elif rules is not None:
            replace_text(folder / HISTORY, json.dumps({"format": FORMAT, "keep": rules.told()}) + "\n")
    except OSError as error:
        raise CaptureError(f"{folder}: a history cannot be written here: {error.strerror}") from None
    return History(folder)


def _digests(manifest: Manifest) -> dict[str, str]:
    """The digest of each answer that a manifest tells of, by the path of its file: made of the names of the device and
    the command, it leads nowhere else."""
    return {
        f"{folder_name(device)}/{file_name(command)}": answer.digest
        for device, entry in manifest.devices.items()
        for command, answer in entry.commands.items()
        if answer.has_text
    }


def _head(pack: Pack) -> str:
    return json.dumps({"pack": pack.path.name}) + "\n"


def _without_a_torn_end(path: Path) -> None:
    """Takes away the beginning of a line that a run did not come to end, and ends one that lacks its end alone."""
    octets = path.read_bytes()
    whole = octets.rfind(b"\n") + 1
    if b"}" in octets[whole:]:
        with path.open("ab") as file:
            file.write(b"\n")
    elif whole < len(octets):
        os.truncate(path, whole)


def _week_of(at: datetime) -> str:
    """The name of the week of a moment, by ISO 8601: names are in the order of time."""
    year, number, _ = at.astimezone(UTC).isocalendar()
    return f"{year}-W{number:02}"


def _until(text: str, last: datetime) -> datetime:
    ago = short_span(text, "mhdw", 6)
    if ago is not None:
        return last - min(ago, last - _BEGINNING)
    try:
        moment = datetime.fromisoformat(text)
    except ValueError:
        raise QuestionError(
            f"'{text}' is no moment of a history; write @{NOW}, @{FIRST}, @2026-11-20T02:00 (UTC), "
            "or @90m, @2d for that long before the last one"
        ) from None
    return moment.replace(tzinfo=UTC) if moment.tzinfo is None else moment.astimezone(UTC)


def _worth_it(week: _Week, staying: list[Turn], now: datetime) -> bool:
    """Whether a week is written anew: half of it goes, or it will not grow any more."""
    over = all(turn.at < now - timedelta(days=8) for turn in week.turns)
    return over or len(staying) * 2 <= len(week.turns)
