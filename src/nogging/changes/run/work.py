"""What the parts of a performance share: the change, the sessions on its devices, its journal, and what they all do."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from pathlib import Path

from nogging.captures.capture import Capture
from nogging.captures.masking import Masker, user_key
from nogging.changes.file.declared import CallModel, Change
from nogging.changes.plan.configuration import Configuration
from nogging.changes.plan.device_sessions import DeviceSessions
from nogging.changes.plan.knowledge import Knowledge, knowledge_of
from nogging.changes.plan.rehearsing import Rehearsal, Rehearsing, records_of
from nogging.changes.run.calling import call
from nogging.changes.run.journal import Event, Journal
from nogging.changes.run.outcome import AGAIN, BEFORE, CannotGoOn, Performance
from nogging.changes.run.saved_points import Guard
from nogging.changes.run.settling import Round, awaited, settle
from nogging.changes.run.stopping import Stop
from nogging.collecting.collect import Ask, collect
from nogging.errors import DeviceError
from nogging.inventory import Device


class Work:
    """One performance, while its `hands` are open."""

    def __init__(
        self, rehearsing: Rehearsing, folder: Path, ask: Ask | None, secret: Ask | None, tell: Callable[[Event], None]
    ) -> None:
        self.rehearsing, self.folder = rehearsing, folder
        self.change: Change = rehearsing.change
        self.model = self.change.model
        self.devices: list[Device] = list(rehearsing.devices().devices)
        self.done = Performance(folder, self.change.title)
        self.journal = Journal(folder, tell, Masker(user_key()))
        self.stop = Stop(self._asked_to_stop)
        self.ask = self.stop.in_front(ask)
        self.hands = DeviceSessions(self.change.inventory, self.stop.in_front(secret))
        self.hands.check = self.stop.check
        self.guard = Guard(self.hands, self.journal, self.model.confirm_within)

    def _asked_to_stop(self, name: str, carried_through: bool) -> None:
        self.journal.tell("asked to stop", signal=name, carried_through=carried_through)

    def knows_its_secrets(self) -> None:
        """From now on the secrets of the inventory and of the change are masked wherever they turn up."""
        self.journal.masker = Masker(user_key(), [*self.hands.secrets.words(), *self.rehearsing.secrets])

    def masked(self, text: str) -> str:
        return self.journal.masker.fresh().lines(text)

    def agrees(self, question: str, step: int | None = None) -> bool | None:
        """What a person says, yes or no; None where nobody is there."""
        if self.ask is None:
            return None
        self.journal.tell("asking", step=step, question=question)
        try:
            answer = self.ask(f"{question} [yes/no] ")
        except (EOFError, OSError):  # nobody is there, any more
            self.stop.check()
            return None
        self.journal.tell("person", step=step, question=question, answer=answer)
        return answer.strip().lower() in ("y", "yes")

    def call(self, model: CallModel, step: int) -> tuple[str, bool]:
        """What was said to a call of a step, and whether it went well."""
        said, good = call(model, self.change.path.parent, self.rehearsing.text)
        self.journal.tell("called", step=step, answer=said, good=good)
        return said, good

    def collected(self, name: str) -> Capture:
        self.stop.check()
        change = self.change
        return collect(change.inventory, self.folder / name, named=change.named, secrets=self.hands.secrets)

    def captured(self, name: str) -> Capture:
        """A capture that the journal knows of."""
        capture = self.collected(name)
        lacking = [
            f"{device}: {entry.reason}" for device, entry in capture.devices.items() if entry.outcome != "captured"
        ]
        self.journal.tell("captured", capture=name, devices=len(capture.devices), lacking=lacking)
        return capture

    def quiet(self) -> list[Capture]:
        """The captures from before, with nothing done in between, besides the one that is compared with."""
        return [Capture(self.folder / AGAIN)] if (self.folder / AGAIN).is_dir() else []

    def running(self) -> dict[str, str]:
        try:
            return self.hands.running(self.devices)
        except DeviceError as error:
            raise CannotGoOn(str(error)) from None

    def planned(self, running: Mapping[str, str], before: Capture) -> Rehearsal:
        return self.rehearsing.rehearse(running, records_of(before))

    def settle(self) -> None:
        def tell(round_: Round) -> None:
            self.journal.tell("settling", after=round_.after, moved=round_.moved)

        timer = awaited(Capture(self.folder / BEFORE), [device.name for device in self.devices], self.model.settling)
        self.journal.tell("awaiting", timer=timer.whose, seconds=timer.seconds, waits=timer.waited)
        if timer.told and timer.told not in self.done.notes:
            self.done.notes.append(timer.told)
        secrets = self.hands.secrets
        self.done.settled = settle(
            self.change.inventory, self.model.settling, tell, secrets, timer.waited, self.stop.sleep
        )
        self.journal.tell("settled", still=self.done.settled.still, seconds=self.done.settled.seconds)

    def save(self, devices: Iterable[Device]) -> None:
        """Saves the running configuration of each device, and tells where it is not, or where nobody knows."""
        if not self.model.save:
            self.journal.tell("not saved", reason="the change file says so")
            return
        for device in devices:
            knowledge = knowledge_of(device.dialect)
            if knowledge.save is None:
                continue
            try:
                said = self.hands.run(self.hands.line(device, knowledge.save.command, knowledge.save.mode))
                same = self._is_saved(device, said)
            except DeviceError as error:
                said, same = str(error), False
            self.journal.tell("saved", device=device.name, same=same, answer=said)
            if same is False:
                self.done.todo.append(f"{device.name}: the running configuration is not saved ({said})")

    def not_kept(self) -> list[str]:
        """What was sent and is in no configuration that a device could save."""
        reasons: dict[str, dict[str, None]] = {}
        for event in self.journal.events:
            if event["event"] == "not kept":
                reasons.setdefault(event["device"], {})[f"'{event['line']}'"] = None  # once, however often it was sent
        why = "in no configuration, so gone after a restart"
        return [f"{name}: {why}: {', '.join(lines)}" for name, lines in reasons.items()]

    def _is_saved(self, device: Device, said: str) -> bool | None:
        """Whether the running and the saved configuration are the same, after a device answered to saving; None where
        it does not tell."""
        knowledge = knowledge_of(device.dialect)
        if knowledge.saved is None:
            return self._is_stored(device, knowledge, said)
        from nogging.reading import read as read_answer

        asked = knowledge.saved
        text = self.hands.run(self.hands.answer(device, asked.command, asked.mode))
        rows = read_answer(text, dialect=device.dialect, command=asked.command).records["setting"].to_pylist()
        return any(row["name"] == "saved" and row["value"] == "true" for row in rows)

    def _is_stored(self, device: Device, knowledge: Knowledge, said: str) -> bool | None:
        asked = knowledge.stored
        commands = asked.commands(said) if asked is not None else []
        if asked is None or not commands:
            return None
        texts = [self.hands.run(self.hands.answer(device, command, asked.mode)) for command in commands]
        if any(text.startswith(asked.refused) for text in texts):
            return None
        stored = [path for text in texts for path in Configuration.shown(knowledge, text).paths]
        return set(stored) == set(Configuration.shown(knowledge, self.hands.running_of(device)).paths)
