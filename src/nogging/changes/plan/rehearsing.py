"""What a change would send, line by line, against what the devices have now; nothing is changed by it.

The steps are gone through in their order. What a step would leave is what the next one finds, so the rehearsal of the
whole is one simulation on the configurations that were read. Each device's part in a step carries what undoes it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from nogging.captures.capture import Capture
from nogging.changes.file.declared import Change, StepModel, Text
from nogging.changes.file.intents import CommunityIntent, Intent, intent_of
from nogging.changes.file.templates import TemplateWrongError, filled
from nogging.changes.plan.configuration import Configuration, Path, Planned, given, sent, typed
from nogging.changes.plan.knowledge import IntentForm, knowledge_of
from nogging.errors import QuestionError
from nogging.files import Path_, read_text
from nogging.inventory import Device, Inventory, Secret
from nogging.judging.reuse import Vocabulary
from nogging.predicates import NamePath as Name
from nogging.predicates import Predicate, computed, quoted
from nogging.records import Field
from nogging.records.field import label_field
from nogging.records.values import interface_spelling

Records = Callable[[str, str], Sequence[Mapping[str, Any]]]
"""The records of a kind on a device, as they are before the change."""


def records_of(capture: Capture) -> Records:
    """The records of a capture, each kind read once."""
    known: dict[str, list[dict[str, Any]]] = {}

    def records(kind: str, device: str) -> Sequence[Mapping[str, Any]]:
        if kind not in known:
            known[kind] = capture.records(kind).to_pylist()
        return [row for row in known[kind] if row["device"] == device]

    return records


@dataclass(frozen=True)
class Plain:
    """A line whose effect the running configuration does not show, with what undoes it. `there` says whether it is so
    already; None where nobody can tell."""

    text: str
    mode: str
    there: bool | None = None
    undo: str = ""

    @property
    def sets(self) -> bool:
        """Whether it sets what a record shows, and no configuration keeps."""
        return self.there is not None


@dataclass(frozen=True)
class StepPart:
    """What one step does on one device."""

    step: int
    device: Device
    planned: tuple[Planned, ...]
    plain: tuple[Plain, ...]
    undo: tuple[str, ...]
    """Lines of configuration that undo it."""
    leaves: Configuration
    """What the device is left with."""

    @property
    def lines(self) -> list[tuple[str, str]]:
        """What is sent, in order: each line with its mode."""
        config = sent(self.leaves.knowledge, [line.path for line in self.planned if line.changes])
        return [*config, *((command.text, command.mode) for command in self.plain if not command.there)]

    @property
    def undone_by(self) -> list[tuple[str, str]]:
        """What takes it back, in order: each line with its mode."""
        mode = knowledge_of(self.device.dialect).mode if self.undo else ""
        plain = [(command.undo, command.mode) for command in reversed(self.plain) if command.undo and not command.there]
        return [*plain, *((line, mode) for line in self.undo)]

    @property
    def not_undone(self) -> list[str]:
        """Lines that nothing is known to undo."""
        return [command.text for command in self.plain if not command.there and not command.undo]


@dataclass(frozen=True)
class PlannedStep:
    number: int
    model: StepModel
    parts: tuple[StepPart, ...] = ()

    @property
    def title(self) -> str:
        return self.model.title or _named(self.model)


@dataclass(frozen=True)
class Rehearsal:
    """Every step with what it would send. `empty` says whether nothing is left to do on any device; `confirm_within`
    are the seconds after which a device goes back by itself, where it can; `shut` is what keeps the gate shut besides
    what is expected there."""

    steps: tuple[PlannedStep, ...]
    confirm_within: float | None = None
    shut: tuple[str, ...] = ()

    @property
    def parts(self) -> list[StepPart]:
        return [part for step in self.steps for part in step.parts]

    @property
    def empty(self) -> bool:
        return not any(part.lines for part in self.parts)


def _named(model: StepModel) -> str:
    if model.call is not None:
        return model.call.told
    if model.awaited is not None:
        return model.awaited.person or "wait until what is expected holds"
    return f"{model.action} on {model.on}" if model.on else model.action


class Rehearsing:
    """Works out what the steps of a change would send."""

    def __init__(self, change: Change, fetch: Callable[[str], str] | None = None) -> None:
        self.change, self.fetch = change, fetch
        self.told: dict[Secret, str] = {}
        labels = {label.lower() for device in change.inventory.devices for label in device.labels}
        schema: dict[Name, Field] = {("label", label): label_field(label) for label in labels}
        self.labels = sorted(labels)
        self.words = Vocabulary([(change.model, change.source)], schema)

    def targets(self) -> dict[int, Inventory]:
        """The devices of each step that has some; a `FileError` for a condition that fits none."""
        targets = {}
        for n, step in enumerate(self.change.model.steps):
            if step.action in ("call", "await"):
                continue
            try:
                targets[n] = self.change.inventory.on(step.on)
            except QuestionError as error:
                raise self.change.source.error(("steps", n, "on"), str(error)) from None
        return targets

    def devices(self) -> Inventory:
        """Every device that a step touches."""
        names = {device.name for target in self.targets().values() for device in target.devices}
        chosen = tuple(device for device in self.change.inventory.devices if device.name in names)
        return replace(self.change.inventory, devices=chosen)

    def check(self) -> None:
        """Fills every template and every intent once and fetches each secret, so that a mistake is told before a device
        is asked."""
        for n, inventory in self.targets().items():
            for device in inventory.devices:
                lines, _ = self.wanted(n, device, lambda _kind, _device: ())
                knowledge = knowledge_of(device.dialect)
                try:
                    sent(knowledge, given(knowledge, lines))
                except QuestionError as error:
                    raise self.change.source.error(("steps", n), f"{error} (for {device.name})") from None
        calls = [step.call for step in self.change.model.steps if step.call is not None]
        requests = [ask.http for call in calls for ask in (call, call.undo) if ask is not None and ask.http is not None]
        told = [*(request.texts for request in requests), *(notice.texts for notice in self.change.model.notices)]
        for what, text in (pair for texts in told for pair in texts):
            self.text(text, what)

    def rehearse(self, running: Mapping[str, str], records: Records) -> Rehearsal:
        """What would be sent, given each device's running configuration."""
        now = {
            name: Configuration.shown(knowledge_of(self.change.inventory.device(name).dialect), text)
            for name, text in running.items()
        }
        targets = self.targets()
        steps = []
        for n, model in enumerate(self.change.model.steps):
            parts = []
            for device in targets[n].devices if n in targets else ():
                part, now[device.name] = self.part(n, device, now[device.name], records)
                parts.append(part)
            steps.append(PlannedStep(n, model, tuple(parts)))
        return Rehearsal(tuple(steps), self.change.model.confirm_within)

    def part(self, n: int, device: Device, now: Configuration, records: Records) -> tuple[StepPart, Configuration]:
        """A device's part in a step, and the configuration that it leaves."""
        lines, plain = self.wanted(n, device, records)
        planned, after = [], now
        for path in given(now.knowledge, lines, now):
            line = after.plan(path)
            planned.append(line)
            after = after.after(line)
        for path in self.surplus(n, now, planned):
            planned.append(after.plan(path))
            after = after.after(planned[-1])
        back = after.lines_to(now)
        whole = now.knowledge.tree is None  # else it is one element, which nobody types
        undo = tuple(line for line, _ in sent(now.knowledge, back)) if whole else tuple(typed(now.knowledge, back))
        return StepPart(n, device, tuple(planned), tuple(plain), undo, after), after

    def surplus(self, n: int, now: Configuration, planned: Sequence[Planned]) -> list[Path]:
        """The lines that take away what a step does not list, of the sorts of which it lists all."""
        wanted, words = {line.path for line in planned}, self.change.model.steps[n].only
        listed = (path for path in now.paths if len(path) == 1 and path not in wanted)
        return [(f"no {path[0]}",) for path in listed if any(now.knowledge.lists(word, path[0]) for word in words)]

    def plain(self, form: IntentForm, known: Mapping[str, Any], device: Device, records: Records) -> list[Plain]:
        before = self.recorded(form, known, device, records)
        wanted = known.get(form.when)
        undo = (
            "".join(filled(form.undo, {**known, "before": before}, ours=True))
            if form.undo and before is not None
            else ""
        )
        there = None if before is None else before == wanted
        return [Plain(line, form.mode, there, undo) for line in filled(form.lines, known, ours=True)]

    def recorded(self, form: IntentForm, known: Mapping[str, Any], device: Device, records: Records) -> Any:
        """What a record says now of what an intent sets."""
        if form.known_by is None:
            return None
        name = interface_spelling(str(known[form.known_by.name]), device.spoken.long_names)
        rows = records(form.known_by.kind, device.name)
        return next((row[form.known_by.field] for row in rows if row["name"] == name), None)

    def wanted(self, n: int, device: Device, records: Records) -> tuple[list[str], list[Plain]]:
        """What a step wants of a device: lines of configuration, and lines that do not show in it."""
        step, known = self.change.model.steps[n], self.known(device)
        if step.intent:
            return self.intended(n, step, device, records)
        lines = self.lines(n, step, known)
        if step.mode in ("", knowledge_of(device.dialect).mode):
            return lines, []
        undo = [*step.undo, *[""] * len(lines)]
        return [], [Plain(line, step.mode, None, back) for line, back in zip(lines, undo, strict=False)]

    def lines(self, n: int, step: StepModel, known: Mapping[str, Any]) -> list[str]:
        where: Path_ = ("steps", n, step.action)
        if step.template is not None:
            return self.filled_file(step.template, known, where)
        told = step.send or ()
        if isinstance(told, str):
            return self.filled_at(told, known, where)
        return [line for k, template in enumerate(told) for line in self.filled_at(template, known, (*where, k))]

    def filled_file(self, name: str, known: Mapping[str, Any], where: Path_) -> list[str]:
        place = self.change.source.beside(name, where)
        try:
            text = read_text(place)
        except QuestionError as error:
            raise self.change.source.error(where, str(error)) from None
        try:
            return filled(text, known)
        except TemplateWrongError as error:
            raise QuestionError(f"{place}:{error.line}: {error} (for {known['device']})") from None

    def filled_at(self, text: str, known: Mapping[str, Any], where: Path_) -> list[str]:
        try:
            return filled(text, known)
        except TemplateWrongError as error:
            raise self.change.source.error(where, f"{error} (for {known['device']})") from None

    def intended(self, n: int, step: StepModel, device: Device, records: Records) -> tuple[list[str], list[Plain]]:
        knowledge, known = knowledge_of(device.dialect), self.known(device)
        lines: list[str] = []
        plain: list[Plain] = []
        for k, told in enumerate(step.intent):
            where: Path_ = ("steps", n, "intent", k)
            intent = self.intent(told, known, where)
            if intent.word not in knowledge.intents:
                can = ", ".join(knowledge.intents)
                message = f"how '{intent.word}' is said to {device.dialect} is not known ({device.name}); known: {can}"
                raise self.change.source.error(where, message)
            values = self.values_of(intent, device)
            for form in knowledge.intents[intent.word]:
                if form.when and values.get(form.when) is None:
                    continue
                if form.mode:
                    plain += self.plain(form, values, device, records)
                else:
                    lines += self.formed(form, values, device, where)
        return lines, plain

    def formed(self, form: IntentForm, values: Mapping[str, Any], device: Device, where: Path_) -> list[str]:
        try:
            return filled(form.lines, values, ours=True)
        except TemplateWrongError as error:
            raise self.change.source.error(where, f"{error} (for {device.name}, which is {device.dialect})") from None

    def intent(self, told: Mapping[str, Any], known: Mapping[str, Any], where: Path_) -> Intent:
        """An intent with its templates filled."""
        given_: dict[str, Any] = {}
        for key, value in told.items():
            text = isinstance(value, str) and "{{" in value
            given_[key] = "".join(self.filled_at(value, known, (*where, key))) if text else value
        try:
            return intent_of(given_)
        except ValueError as error:
            raise self.change.source.error(where, str(error)) from None

    def values_of(self, intent: Intent, device: Device) -> dict[str, Any]:
        values = {name: getattr(intent, name) for name in type(intent).model_fields}
        if isinstance(intent, CommunityIntent):
            values["snmp_community"] = self.fetched(intent.snmp_community, f"the community for {device.name}")
        return values

    def fetched(self, secret: Secret, what: str) -> str:
        """A secret from where it is; a person is asked for it once."""
        if secret not in self.told:
            self.told[secret] = secret.fetch(self.change.path.parent, what, self.fetch)
        return self.told[secret]

    def text(self, told: Text, what: str = "what is sent") -> str:
        """A text as it is sent; `what` names it for a prompt."""
        return told if isinstance(told, str) else self.fetched(told, what)

    @property
    def secrets(self) -> list[str]:
        """The secrets in what is to be sent, once it was worked out."""
        return list(self.told.values())

    def known(self, device: Device) -> dict[str, Any]:
        """What a template may speak of: the device, its labels, and the change file's values as they are for it."""
        own = {name.lower(): text for name, text in device.labels.items()}
        facts: dict[Name, str] = {
            ("device",): device.name,
            **{("label", label): own.get(label, "") for label in self.labels},
        }
        values = {}
        for name in self.change.model.values:
            node = self.words.node(("value", name.lower()), {})
            assert node is not None
            values[name] = computed(f"SELECT {Predicate('', node).sql(lambda path: quoted(facts[path]))}")
        more = {"label": dict(device.labels), "value": values, "list": dict(self.change.model.lists)}
        return {"device": device.name, "address": device.address, "dialect": device.dialect, **more}


def touched(parts: Iterable[StepPart]) -> set[Path]:
    """Every line of configuration that some parts speak of or take away, without its `no`."""
    paths = set()
    for part in parts:
        for line in part.planned:
            for path in (line.path, *line.removes):
                paths.add((*path[:-1], path[-1].removeprefix("no ")))
    return paths
