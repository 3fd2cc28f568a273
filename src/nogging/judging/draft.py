"""Expectations drafted from known-good captures: short enough to read, general where the network is regular.

Each candidate is a rule that the records suggest, with its reason. A candidate stays only if it passes on every capture
that it came from; with several captures, what varies by itself falls out. What is not regular is said in a comment and
not made up.
"""

from __future__ import annotations

import json
import tempfile
from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import yaml

from nogging.captures.capture import Capture
from nogging.captures.saved import opened
from nogging.judging.check import check
from nogging.judging.faults import unwell
from nogging.judging.gaps import witnesses
from nogging.judging.verdict import Verdict
from nogging.predicates import quoted
from nogging.records import KINDS, Field, Kind, Nature, Type
from nogging.routing.links import links

if TYPE_CHECKING:
    import pyarrow as pa

MOST_EXCEPTIONS = 4
"""A rule with more exceptions than this is none."""
MOST_DEVICES = 30
"""Of more devices than this no rule is made for each."""
ENOUGH = 0.95
"""The share of the routes of a device that has to stay."""

DraftRows = list[dict[str, Any]]


@dataclass(frozen=True)
class Drafted:
    """One expectation with the reason for it, as it stands in a file."""

    title: str
    reason: str
    body: tuple[str, ...]

    def text(self) -> str:
        lines = [f"  # {self.reason}", f"  - title: {_scalar(self.title)}"]
        for line in self.body:
            key, _, value = line.partition(": ")
            lines.append(f"    {key}: {value if key == 'rows' else _scalar(value)}")
        return "\n".join(lines)


def draft(captures: Sequence[Capture | str | Path]) -> str:
    """A file of expectations that passes on all of these captures.

    Raises `CaptureError` for a directory that is none.
    """
    good = [opened(capture) for capture in captures]
    kept, left = _tried(list(_Drafter(good[0]).all()), good)
    told = ", ".join(capture.called for capture in good)
    head = [
        f"# Drafted from {told}: read it, and take out what does not have to hold.",
        "title: Everything is as it should be",
    ]
    parts = ["\n".join([*head, "expect:" if kept else "expect: []"]), *(drafted.text() for drafted in kept)]
    if left:
        parts.append(
            "\n".join(
                ["  # Not taken, because it does not hold, or is not proven, everywhere:"]
                + [f"  #   {t}" for t in left]
            )
        )
    return "\n".join(parts) + "\n"


def _tried(candidates: list[Drafted], captures: list[Capture]) -> tuple[list[Drafted], list[str]]:
    """The candidates that pass on every capture, and the titles of the others."""
    kept, left = list(candidates), []
    with tempfile.TemporaryDirectory() as place:
        path = Path(place) / "draft.yaml"
        for capture in captures:
            if not kept:
                break
            path.write_text("expect:\n" + "\n".join(drafted.text() for drafted in kept) + "\n")
            judged = list(zip(kept, check(path, after=capture).results, strict=True))
            left += [
                f"{drafted.title}: {result.reason}" for drafted, result in judged if result.verdict is not Verdict.PASS
            ]
            kept = [drafted for drafted, result in judged if result.verdict is Verdict.PASS]
    return kept, left


class _Drafter:
    """Drafts what each kind declares of itself: what its records of one sort have in common, by what they are well, how
    many there are, and what is exactly so."""

    def __init__(self, capture: Capture) -> None:
        self.capture = capture
        self.linked = {(link.device, link.interface) for link in links(capture)}

    def all(self) -> Iterator[Drafted]:
        for kind in KINDS.values():
            if kind.compared and not kind.of_answers:
                rows = self.capture.records(kind.name)
                sorted_ = self.sorts(kind, rows) if kind.sort else {}
                yield from self.well(kind, sorted_)
                yield from self.alike(kind, sorted_)
                yield from self.faultless(kind, rows)
                yield from self.untroubled(kind, rows)
                yield from self.untroubled_as_told(kind, rows)
                yield from self.both_ends(kind, rows)
                yield from self.exact(kind, rows)
                yield from self.counted(kind, rows)
                yield from self.kept(kind, rows)
                yield from self.landmarks(kind, rows)

    def sorts(self, kind: Kind, table: pa.Table) -> dict[str, DraftRows]:
        """The records of each sort: by the first word where the field is free text, and then of several only."""
        by_word: dict[str, DraftRows] = defaultdict(list)
        free = is_free(kind)
        for row in table.to_pylist():
            word = (row[kind.sort] or "").split(" ")[0] if free else row[kind.sort]
            if word and (word.isalnum() or not free):
                by_word[word].append(row)
        return {word: rows for word, rows in sorted(by_word.items()) if len(rows) > 1 or not free}

    def well(self, kind: Kind, sorts: Mapping[str, DraftRows]) -> Iterator[Drafted]:
        for field in kind.own:
            if field.well is None or not field.moves_with:
                continue
            for word, rows in sorts.items():
                # what cannot be otherwise (a neighbor of LLDP is there or not) is not expected
                could = [row for row in rows if row[field.name] != field.well or unwell(kind, row)]
                astray = [row for row in could if row[field.name] != field.well]
                if could and len(astray) <= _few(could):
                    what = field.name if field.well is True else field.well
                    noun = word if is_free(kind) else f"{word} {kind.name}"
                    body = (
                        f"every: {kind.name}",
                        f"where: {_of_sort(kind, word)}{self.telling_devices(kind)}{_but(kind, astray)}",
                        f"must: {_equal(field, field.well)}",
                    )
                    yield Drafted(f"Every {noun} is {what}", _share(kind, could, astray, what), body)

    def telling_devices(self, kind: Kind) -> str:
        """Which devices were asked for records of a kind; nothing where all were, or they are too many."""
        tell = {gap.device for gap in witnesses(self.capture, kind.name)}
        return f" and {_on(sorted(tell))}" if tell != set(self.capture.devices) and len(tell) <= MOST_DEVICES else ""

    def alike(self, kind: Kind, sorts: Mapping[str, DraftRows]) -> Iterator[Drafted]:
        """What the records of one sort have in common; where nothing is told nothing is expected."""
        for field in (field for field in kind.own if field.alike):
            words: dict[Any, list[str]] = defaultdict(list)
            odd: dict[Any, DraftRows] = defaultdict(list)
            for word, rows in sorts.items():
                told = Counter(row[field.name] for row in rows if row[field.name] is not None)
                if told.total() < 2:
                    continue
                value, _ = told.most_common(1)[0]
                others = [row for row in rows if row[field.name] != value]
                if len(others) <= _few(rows):
                    words[value].append(word)
                    odd[value] += others
            for value, several in words.items():
                where = " or ".join(_of_sort(kind, word) for word in several)
                where = f"({where})" if len(several) > 1 and odd[value] else where
                where += _but(kind, odd[value])
                body = (f"every: {kind.name}", f"where: {where}", f"must: {_equal(field, value)}")
                why = f"whatever {'is described as' if is_free(kind) else 'is'} {' or '.join(several)} {field.alike}"
                yield Drafted(f"{field.name} is {value} on every {' and '.join(several)}", why, body)

    def faultless(self, kind: Kind, table: pa.Table) -> Iterator[Drafted]:
        for field in (field for field in kind.own if field.of_faults):
            where, told = self.telling(kind, field, table)
            if told and not any(row[field.name] for row in told):
                body = (f"every: {kind.name}", f"where: {where}", f"must: {field.name} = 0")
                yield Drafted(f"No {kind.name} counts {field.name}", f"none of {len(told)} does", body)

    def untroubled(self, kind: Kind, table: pa.Table) -> Iterator[Drafted]:
        """What goes up and down by itself is expected to stay where nobody would have to know of it."""
        told = any(table.column(name).null_count < table.num_rows for name in kind.named(Nature.MEASURE))
        told |= kind.is_trouble and any(witnesses(self.capture, kind.name))
        if kind.not_well and told:
            where = f"where: ({kind.not_well}){self.telling_devices(kind)}"
            what = "that somebody should know of" if kind.is_trouble else "is in trouble"
            yield Drafted(f"No {kind.name} {what}", "there is none", (f"none: {kind.name}", where))

    def untroubled_as_told(self, kind: Kind, table: pa.Table) -> Iterator[Drafted]:
        """Where some records alone tell a state, they are expected to be well by it; the others say nothing of it."""
        troubles = kind.not_well.split(" or ")
        states = (field for field in kind.own if field.type is Type.TEXT and field.nature is Nature.STATE)
        for field in (field for field in states if field.well is None):
            trouble = next((condition for condition in troubles if condition.startswith(f"{field.name} ")), "")
            if trouble and table.column(field.name).null_count < table.num_rows:
                where = f"where: {field.name} is not null and {trouble}{self.telling_devices(kind)}"
                title = f"Every {kind.name} that tells its {field.name} is well by it"
                yield Drafted(title, "whoever tells it is", (f"none: {kind.name}", where))

    def telling(self, kind: Kind, field: Field, table: pa.Table) -> tuple[str, DraftRows]:
        """The records of those devices that tell a field of all, or of nearly all, of theirs."""
        by_device: dict[str, DraftRows] = defaultdict(list)
        for row in table.select([*kind.keys, field.name]).to_pylist():
            by_device[row["device"]].append(row)
        silent = {device: [row for row in rows if row[field.name] is None] for device, rows in by_device.items()}
        tell = [device for device, rows in silent.items() if len(rows) <= _few(by_device[device])]
        told = [row for device in tell for row in by_device[device] if row[field.name] is not None]
        but = [row for device in tell for row in silent[device]]
        return f"{_on(tell)}{_but(kind, but)}", told

    def both_ends(self, kind: Kind, table: pa.Table) -> Iterator[Drafted]:
        for field in (field for field in kind.own if field.same_at_both_ends):
            rows = table.select(["device", "name", field.name]).to_pylist()
            ends = [row for row in rows if (row["device"], row["name"]) in self.linked]
            silent = {row["device"] for row in ends if row[field.name] is None}
            tell = sorted({row["device"] for row in ends} - silent)
            on = f" and {_on(tell)} and peer.{_on(tell)}" if silent else ""
            if tell:
                body = (
                    f"every: {kind.name}",
                    f"where: peer.name is not null{on}",
                    f"must: {field.name} = peer.{field.name}",
                )
                yield Drafted(f"{field.name} is the same at both ends of every link", "it is now", body)

    def exact(self, kind: Kind, table: pa.Table) -> Iterator[Drafted]:
        where, fields = kind.exact
        if where and table.num_rows:
            rows = f"rows: {{capture: {self.capture.folder.resolve()}, fields: [{', '.join(fields)}]}}"
            title = f"Every {kind.name} with {where} is as it was, and there is no other"
            among = f"where: {where}{self.telling_devices(kind)}"
            yield Drafted(title, "as the capture has it", (f"exactly: {kind.name}", among, rows))

    def counted(self, kind: Kind, table: pa.Table) -> Iterator[Drafted]:
        """How many records each device has of each sort: nearly as many, where they are many and come and go."""
        if kind.counted is None:
            return
        well = [field.name for field in kind.own if field.well is True and not kind.members]
        rows = {tuple(row[key] for key in kind.keys): row for row in self.well_rows(kind, well, table)}
        some = Counter(tuple(row[name] for name in ("device", *kind.counted)) for row in rows.values())
        if len({device for device, *_ in some}) > MOST_DEVICES:
            return
        met = "".join(f" and {condition}" for condition in well)
        for (device, *values), n in sorted(some.items(), key=str):
            told = [(name, value) for name, value in zip(kind.counted, values, strict=True) if value is not None]
            where = f"{_on([device])}{''.join(f' and {_equal(kind.fields[name], value)}' for name, value in told)}{met}"
            many = kind.members and n > 1
            must = f"n >= {max(int(n * ENOUGH), 1)}" if many else f"n = {n}"
            what = " ".join([*(str(value) for _, value in told), kind.name])
            title = f"{device} {'keeps its' if many else f'has {n}'} {what}{'s' * (n != 1)}"
            why = f"it has {n}; {ENOUGH:.0%} of them" if many else "what is gone fails no other rule"
            yield Drafted(title, why, (f"count: {kind.name}", f"where: {where}", f"must: {must}"))

    def kept(self, kind: Kind, table: pa.Table) -> Iterator[Drafted]:
        """The numbers that records of a kind keep, nearly, one by one."""
        sort, value, name = kind.kept
        if not sort or len(set(table.column("device").to_pylist())) > MOST_DEVICES:
            return
        for row in table.to_pylist():
            if row[sort] == value and row[name]:
                it = " and ".join(_equal(kind.fields[key], row[key]) for key in kind.keys if row[key] is not None)
                must = f"must: {name} >= {max(int(row[name] * ENOUGH), 1)}"
                title = f"{row['device']}: {kind.called(row)} keeps its {name}"
                body = (f"every: {kind.name}", f"where: {it}", must)
                yield Drafted(title, f"it has {row[name]}; {ENOUGH:.0%} of them", body)

    def well_rows(self, kind: Kind, well: list[str], table: pa.Table) -> DraftRows:
        """The records that are well, and could be otherwise."""
        if not well:
            return list(
                table.select([*kind.keys, *(name for name in kind.counted or () if name not in kind.keys)]).to_pylist()
            )
        return [row for row in table.to_pylist() if all(row[condition] for condition in well) and unwell(kind, row)]

    def landmarks(self, kind: Kind, table: pa.Table) -> Iterator[Drafted]:
        name, values = kind.landmarks
        pairs = (
            set(zip(*(table.column(column).to_pylist() for column in ("device", name)), strict=True)) if name else set()
        )
        for value in values:
            having = sorted({device for device, told in pairs if told == value})
            if having:
                here = _equal(kind.fields[name], value)
                each = (f"count: {kind.name}", "per: device", f"where: {here} and {_on(having)}", "must: n >= 1")
                yield Drafted(f"Whoever had {value} has it", f"{len(having)} do", each)
                others = f"where: {here} and not {_on(having)}"
                yield Drafted(f"Nobody else has {value}", "none has", (f"none: {kind.name}", others))


def is_free(kind: Kind) -> bool:
    """Whether records are of a sort by what somebody wrote."""
    return bool(kind.sort) and kind.fields[kind.sort].absent is not None


def _of_sort(kind: Kind, word: str) -> str:
    return f"{kind.sort} like {quoted(word + '%')}" if is_free(kind) else f"{kind.sort} = {quoted(word)}"


def _equal(field: Field, value: Any) -> str:
    if field.type is Type.BOOLEAN:
        return field.name if value else f"not {field.name}"
    return f"{field.name} = {quoted(value) if isinstance(value, str) else value}"


def _on(devices: Sequence[str]) -> str:
    return (
        f"device = {quoted(devices[0])}"
        if len(devices) == 1
        else f"device in ({', '.join(map(quoted, sorted(devices)))})"
    )


def _few(rows: DraftRows) -> int:
    return min(MOST_EXCEPTIONS, len(rows) // 3)


def _but(kind: Kind, rows: DraftRows) -> str:
    told = ([_equal(kind.fields[key], row[key]) for key in kind.keys if row[key] is not None] for row in rows)
    return "".join(f" and not ({' and '.join(parts)})" for parts in told)


def _share(kind: Kind, rows: DraftRows, but: DraftRows, what: str) -> str:
    names = ", ".join(" ".join(str(row[key]) for key in kind.keys if row[key]) for row in but)
    return f"{len(rows) - len(but)} of {len(rows)} are {what}" + (f"; not {names}" if names else "")


def _scalar(text: str) -> str:
    """A text as YAML, quoted where it would be something else."""
    try:
        plain = yaml.safe_load(f"x: {text}") == {"x": text}
    except yaml.YAMLError:
        plain = False
    return text if plain else json.dumps(text, ensure_ascii=False)
