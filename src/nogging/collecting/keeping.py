"""Captures again and again: a network under watch.

One turn after the other, never two at once: those that fall into a turn that takes too long are missed, and counted. A
turn is a capture into the folder `turn` of the history, like any other; then it becomes a moment of the history.
Whatever a turn meets (a file with a mistake, a device that does not answer, a full disk) is told, and the next turn
comes; only what was wrong from the beginning, and a person or the system that stops it, ends the watch.

A turn of some kinds only asks for those; of all else the moment has what was last known, with the time at which it was
asked. A device that refused the login is left alone for a while: one refusal in each turn would lock its account.
"""

from __future__ import annotations

import bisect
import contextlib
import json
import random
import shutil
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

from nogging.asking.over_time import OverTime
from nogging.asking.usual import Numbers
from nogging.asking.windows import Windows
from nogging.captures.capture import Capture
from nogging.captures.history import FIRST, TURN, History, Turn, begun
from nogging.captures.manifest import CAPTURED, MANIFEST, DeviceEntry, Manifest, is_capture, manifest_of
from nogging.captures.masking import known_key
from nogging.captures.saved import moment_of, opened
from nogging.captures.sealing import sealed
from nogging.captures.thinning import Rules
from nogging.captures.writing import digest_in
from nogging.collecting.collect import PARTLY, Ask, collect
from nogging.collecting.credentials import NotTried, Secrets
from nogging.collecting.schedule import Due, ScheduleEntry, delayed, following, missed
from nogging.collecting.visiting import Limits
from nogging.dialects.reader_folders import LIBRARY, places
from nogging.errors import CaptureError, LoginRefused, NoggingError
from nogging.inventory import Inventory
from nogging.judging.changed import ChangedRecord, changed, first, left
from nogging.judging.check import check
from nogging.judging.noticing import NOTICES, Notice, written_in
from nogging.judging.noticing import judged as was_judged
from nogging.judging.verdict import Judgement, worst
from nogging.metrics.store import LINES, REMOTE, Transport, send_new
from nogging.reading.asking import forget

REFUSED = frozenset({LoginRefused.outcome, NotTried.outcome})
LEFT_ALONE = timedelta(hours=1)
"""How long a device that refused the login is not asked again, unless its entry in the inventory changes."""
CAUSES = 3
"""Of what a notice likely follows from, those from which most does."""
BEFORE = "before"
"""The folder of the turn before the last one, with which it was compared."""
TOLD = frozenset({CAPTURED, PARTLY})
"""What becomes of a device that told something."""
FAR = 2000
"""How many moments are looked back for a device that did not answer when the watch went on."""
THINNED = timedelta(hours=1)
"""How often what grew old is let go."""
SET_BACK = timedelta(seconds=2)


@dataclass(frozen=True)
class TurnTold:
    """What came of a turn. `new` counts the answers that were not known, `octets` what the moment takes on the disk;
    `remarks` are what a person should know of it."""

    at: datetime
    kinds: tuple[str, ...]
    devices: int
    captured: int
    answers: int
    new: int
    octets: int
    seconds: float
    missed: int
    remarks: tuple[str, ...] = ()
    verdict: str = ""
    """What the expectations of the watch say of the moment."""
    notices: tuple[Notice, ...] = ()


class Clock:
    """The time, and waiting for one; another one in its place makes days of seconds."""

    def now(self) -> datetime:
        return datetime.now(UTC)

    def wait(self, until: datetime) -> None:
        """Waits; a clock that is set meanwhile makes it look up again, not wait for hours."""
        end = time.monotonic() + max(0.0, (until - self.now()).total_seconds())
        while (left := end - time.monotonic()) > 0 and self.now() < until:
            time.sleep(min(left, 1.0))


@dataclass
class Keeper:
    """A watch. `load` gives the inventory as it is now; it is asked before each turn."""

    load: Callable[[], Inventory]
    history: History
    entries: Sequence[ScheduleEntry]
    tell: Callable[[TurnTold], None]
    limits: Limits = field(default_factory=Limits)
    ask: Ask | None = None
    clock: Clock = field(default_factory=Clock)
    expectations: Path | None = None
    against: str = FIRST
    """The moment that `before` means to the expectations."""
    windows: Path | None = None
    """Expectations over windows of time."""
    stores: Sequence[tuple[str, Transport]] = ()
    """The addresses of the stores that get the numbers of each moment, and the way to each."""

    def __post_init__(self) -> None:
        self.notices = written_in(self.history.folder)
        self.over = OverTime(self.history)
        self.numbers = Numbers(self.history)
        self.then: Capture | None = None
        self.inventory: Inventory | None = None
        self.readers: list[tuple[Path, int, int]] = []
        self.refused: dict[str, tuple[datetime, object]] = {}
        self.remarks: list[str] = []
        self.thinned: datetime | None = None
        self.secrets = Secrets(self.ask)
        self.last_told: dict[str, datetime] = {}
        self.causes: list[str] = []
        self.looked_back = False

    def turns(self, most: int | None = None) -> None:
        """Turns until it is stopped, or so many; the first one at once, of all kinds. Raises what is wrong with the
        inventory in the first one."""
        self.inventory = self.load()
        due, lost, done = Due(self.clock.now(), ()), 0, 0
        while True:
            self.turn(due, lost)
            done += 1
            if done == most:
                return
            last, now = due.at, self.clock.now()
            if now < last - SET_BACK:
                self.remarks.append(f"the clock was set back by {(last - now).total_seconds():.0f} s")
                last = now
            due = following(self.entries, now)
            lost = missed(self.entries, last, due.at)
            self.clock.wait(due.at)

    def turn(self, due: Due, lost: int) -> None:
        """One turn; what goes wrong in it is told."""
        began, monotonic = self.clock.now(), time.monotonic()
        inventory = self.present()
        try:
            turn, before, capture = self.moment(inventory, due, lost)
        except (NoggingError, OSError) as error:
            self.remarks.append(f"this turn came to nothing: {error}")
            self.told(
                TurnTold(
                    at=began,
                    kinds=due.kinds,
                    devices=len(inventory),
                    captured=0,
                    answers=0,
                    new=0,
                    octets=0,
                    seconds=time.monotonic() - monotonic,
                    missed=lost,
                )
            )
            return
        new, stored = _new(before, capture.manifest), self.history.sizes()[turn]
        verdict, notices = self.judged(turn, capture, due)
        self.sent()
        self.care(inventory, capture, began)
        entries = capture.manifest.devices
        self.remarks += [
            f"{name}: {entry.outcome.replace('_', ' ')}: {entry.reason}"
            for name, entry in entries.items()
            if entry.reason
        ]
        self.told(
            TurnTold(
                at=turn.at,
                kinds=due.kinds,
                devices=len(inventory),
                captured=sum(entry.outcome == CAPTURED for entry in entries.values()),
                answers=sum(entry.commands_answered for entry in entries.values()),
                new=new,
                octets=stored,
                seconds=time.monotonic() - monotonic,
                missed=lost,
                verdict=verdict,
                notices=tuple(notices),
            )
        )

    def sent(self) -> None:
        """Sends each store what it does not have yet; what it does not take now goes with a later turn."""
        for url, way in self.stores:
            try:
                _, left = send_new(self.history, url, way)
                self.remarks += [f"{left} moments are still to be sent"] * bool(left)
            except NoggingError as error:
                self.remarks.append(str(error))

    def judged(self, turn: Turn, capture: Capture, due: Due) -> tuple[str, list[Notice]]:
        """The verdict of the expectations, and what a person should be told of it; a mistake in the file is told."""
        judgements = []
        try:
            if self.expectations is not None:
                self.then = self.then or opened(f"{self.history.folder}@{self.against}")
                with moment_of(self.history, turn) if due.kinds else contextlib.nullcontext(capture) as now:
                    judgements.append(check(self.expectations, after=now, before=self.then))
            if self.windows is not None:
                judgements.append(Windows(self.windows).judge(self.over, self.numbers))
            if not judgements:
                return "", []
            results = tuple(result for part in judgements for result in part.results)
            judgement = Judgement(worst([part.verdict for part in judgements]), "", results)
            notices = self.notices.of(judgement, turn.at, self.causes[:CAUSES])
            with (self.history.folder / NOTICES).open("a", encoding="utf-8") as file:
                file.writelines(json.dumps(notice.told(), ensure_ascii=False) + "\n" for notice in notices)
            was_judged(self.history.folder, turn.at, judgement.verdict)
        except (NoggingError, OSError) as error:
            self.remarks.append(f"nothing was judged: {error}")
            return "", []
        return str(judgement.verdict), notices

    def told(self, told: TurnTold) -> None:
        self.tell(replace(told, remarks=tuple(self.remarks)))
        self.remarks = []

    def present(self) -> Inventory:
        """The inventory as it is now, without the devices that are left alone; what changed in it is told."""
        before = self.inventory
        assert before is not None, "it was loaded before the first turn"
        try:
            self.inventory = self.load()
        except NoggingError as error:
            self.remarks.append(f"the inventory cannot be taken as it is, and stays as it was: {error}")
        now = self.inventory
        assert now is not None
        if (readers := _files_of(now)) != self.readers:
            self.readers = readers
            forget()
        names, were = [device.name for device in now.devices], [device.name for device in before.devices]
        for what, those in (
            ("added", [name for name in names if name not in were]),
            ("taken away", [name for name in were if name not in names]),
        ):
            self.remarks += [f"{what}: {', '.join(those)}"] * bool(those)
        alone = {
            device.name
            for device in now.devices
            if device.name in self.refused
            and self.refused[device.name][1] == device
            and self.clock.now() - self.refused[device.name][0] < LEFT_ALONE
        }
        return replace(now, devices=tuple(device for device in now.devices if device.name not in alone))

    def moment(self, inventory: Inventory, due: Due, lost: int) -> tuple[Turn, Manifest | None, Capture]:
        """Captures, and stores what came back as a moment of the history."""
        folder = self.history.folder / TURN
        before = self.history.last_manifest()
        self.put_aside(folder, before)
        capture = collect(
            inventory, folder, kinds=due.kinds or None, limits=self.limits, secrets=self.secrets, ask=self.ask
        )
        whole = _whole(before, capture.manifest, due.kinds, self.inventory or inventory)
        at = datetime.fromisoformat(whole.ended)
        turn = self.history.add(whole, folder, self.changes(before, capture, at), lost)
        told = {name for name, entry in capture.manifest.devices.items() if entry.outcome in TOLD}
        self.last_told.update(dict.fromkeys(told, turn.at))
        return turn, before, capture

    def put_aside(self, folder: Path, last: Manifest | None) -> None:
        """The capture of the turn before, where it is the moment before as it stands: this one is compared with it."""
        aside = self.history.folder / BEFORE
        with contextlib.suppress(FileNotFoundError):
            shutil.rmtree(aside)
        if is_capture(folder) and last is not None:
            with contextlib.suppress(CaptureError):
                known = manifest_of(folder)
                if known.run == last.run and known.text() == last.text():
                    folder.rename(aside)

    def changes(self, before: Manifest | None, capture: Capture, at: datetime) -> list[ChangedRecord]:
        """What changed since each device was last heard, which mostly was the moment before."""
        heard = {name for name, entry in capture.manifest.devices.items() if entry.outcome in TOLD}
        known = self.last_heard(before)
        for name, was, now in _replaced(before, capture.manifest):
            known.pop(name, None)
            self.remarks.append(f"{name}: spoke {was}, and speaks {now} now: what is there begins anew")
        groups: dict[datetime | None, set[str]] = {}
        self.causes = []
        for name in heard:
            groups.setdefault(known.get(name), set()).add(name)
        changes: list[ChangedRecord] = []
        for moment, devices in groups.items():
            try:
                changes += self.since(moment, devices, capture, at)
            except CaptureError as error:
                self.remarks.append(f"what changed cannot be told of {', '.join(sorted(devices))}: {error}")
                changes += first(capture, devices, at)
        gone = set(before.devices if before else ()) - self.names()
        for name in gone:
            self.last_told.pop(name, None)
        return changes + left(gone, at)

    def since(self, moment: datetime | None, devices: set[str], capture: Capture, at: datetime) -> list[ChangedRecord]:
        """What changed of some devices since a moment; one that was let go since is the one before it."""
        turns = self.history.turns if moment else []
        until = bisect.bisect_right(turns, moment, key=lambda turn: turn.at) if moment else 0
        if not until:
            return first(capture, devices, at)
        with self.laid_out(turns[until - 1]) as then:
            moved, causes = changed(then, capture, devices, at)
        self.causes += causes
        return moved

    def names(self) -> set[str]:
        return {device.name for device in self.inventory.devices} if self.inventory else set()

    def last_heard(self, before: Manifest | None) -> dict[str, datetime]:
        """The last moment at which each device that is known was heard; looked up once, for a watch that goes on."""
        missing = set(before.devices if before else ()) - set(self.last_told)
        if missing and not self.looked_back:
            for turn in reversed(self.history.turns[-FAR:]):
                manifest = self.history.manifest(turn)
                for name in [device for device in missing if device in manifest.devices]:
                    if manifest.devices[name].outcome in TOLD:
                        self.last_told[name] = turn.at
                        missing.discard(name)
                if not missing:
                    break
        self.looked_back = True
        return self.last_told

    @contextlib.contextmanager
    def laid_out(self, turn: Turn) -> Iterator[Capture]:
        """A moment as a capture: the turn before as it stands, where it is that one."""
        aside = self.history.folder / BEFORE
        if is_capture(aside) and digest_in((aside / MANIFEST).read_bytes()) == turn.digest:
            yield Capture(aside)
            return
        with moment_of(self.history, turn) as capture:
            yield capture

    def care(self, inventory: Inventory, capture: Capture, now: datetime) -> None:
        """Remembers who refused the login, and lets go of what grew old."""
        for device in inventory.devices:
            if capture.manifest.devices[device.name].outcome in REFUSED:
                self.refused[device.name] = (now, device)
            else:
                self.refused.pop(device.name, None)
        if self.thinned is None or now - self.thinned >= THINNED:
            self.thinned = now
            try:
                gone = self.history.thin(now)
                self.remarks += [f"{gone} older moments were let go"] * bool(gone)
            except (NoggingError, OSError) as error:
                self.remarks.append(f"no moment was let go: {error}")


def keep(
    load: Callable[[], Inventory],
    to: str | Path,
    entries: Sequence[ScheduleEntry],
    *,
    rules: Rules | None = None,
    limits: Limits | None = None,
    turns: int | None = None,
    tell: Callable[[TurnTold], None] = lambda _: None,
    ask: Ask | None = None,
    clock: Clock | None = None,
    expectations: str | Path | None = None,
    against: str = FIRST,
    windows: str | Path | None = None,
    store: str = "",
    remote_write: str = "",
) -> History:
    """Captures again and again into a history, until it is stopped or for so many `turns`.

    `load` gives the inventory, before each turn; `entries` say what is asked when; `rules`, where given, which moments
    stay as they grow old. `tell` is told of each turn. `expectations` are judged at each moment, with the moment
    `against` as what was before, and `windows` are expectations over windows of time; what begins to fail, goes on and
    ends is told, and written to `notices.jsonl`. The numbers of each moment are sent to the `store`, an address that
    takes line protocol, and to that of `remote_write`. Raises `CaptureError` where somebody else keeps this history,
    and whatever is wrong with the inventory at the beginning.
    """
    with begun(to, rules) as history:
        shift = random.Random(str(history.folder.resolve())).random()
        keeper = Keeper(
            load=load,
            history=history,
            entries=delayed(entries, shift),
            tell=tell,
            limits=limits or Limits(),
            ask=ask,
            clock=clock or Clock(),
            expectations=Path(expectations) if expectations else None,
            against=against,
            windows=Path(windows) if windows else None,
            stores=[(url, way) for url, way in ((store, LINES), (remote_write, REMOTE)) if url],
        )
        with contextlib.suppress(KeyboardInterrupt):
            keeper.turns(turns)
    return history


def _whole(before: Manifest | None, now: Manifest, kinds: tuple[str, ...], inventory: Inventory) -> Manifest:
    """The manifest of a moment: what this turn brought, and what is known of all else from the one before."""
    whole = replace(now, devices=dict(now.devices))
    if before is None or before.masking_key != now.masking_key:
        return now
    for device in inventory.devices:
        old, new = before.devices.get(device.name), whole.devices.get(device.name)
        if old is not None and new is None:  # left alone
            whole.devices[device.name] = DeviceEntry(
                old.dialect, dict(device.labels), old.outcome, old.reason, old.skew
            )
        elif old is not None and new is not None and kinds and old.dialect == new.dialect:
            whole.devices[device.name] = replace(new, commands={**old.commands, **new.commands})
    return sealed(whole, known_key())


def _replaced(before: Manifest | None, now: Manifest) -> list[tuple[str, str, str]]:
    """The devices that speak another dialect than they did, with both."""
    were = before.devices if before else {}
    both = ((name, were[name].dialect, entry.dialect) for name, entry in now.devices.items() if name in were)
    return [(name, was, is_now) for name, was, is_now in both if was != is_now]


def _files_of(inventory: Inventory) -> list[tuple[Path, int, int]]:
    """The user's own readers, as they stand on the disk."""
    own = (inventory.readers,) if inventory.readers is not None else ()
    paths = [path for place in places(own) if place != LIBRARY for path in sorted(place.glob("*/*.yaml"))]
    return [(path, (state := path.stat()).st_mtime_ns, state.st_size) for path in paths]


def _new(before: Manifest | None, now: Manifest) -> int:
    """How many answers are not as they were."""
    known = {
        (name, command): command_entry.digest
        for name, entry in (before.devices.items() if before else ())
        for command, command_entry in entry.commands.items()
    }
    return sum(
        known.get((name, command)) != command_entry.digest
        for name, entry in now.devices.items()
        for command, command_entry in entry.commands.items()
        if command_entry.has_text
    )
