"""What was found as plain values, for JSON and CSV: the contracts that scripts rely on."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import asdict
from datetime import UTC, datetime
from typing import Any

from nogging.judging.compare import Comparison
from nogging.judging.verdict import Difference, Evidence, Explained, Failure, Judgement, Result
from nogging.reading.account import Reading

FORMAT = 1


def value(one: Any) -> Any:
    """A value as JSON has it: moments in ISO 8601, UTC."""
    if isinstance(one, datetime):
        moment = one.replace(tzinfo=UTC) if one.tzinfo is None else one.astimezone(UTC)
        return moment.isoformat().replace("+00:00", "Z")
    if isinstance(one, Mapping):
        return {name: value(inner) for name, inner in one.items()}
    return [value(inner) for inner in one] if isinstance(one, list | tuple) else one


def judgement(found: Judgement) -> dict[str, Any]:
    """A judgement in the form of `check --format json`."""
    return {
        "format": FORMAT,
        "verdict": str(found.verdict),
        "title": found.title,
        "warnings": found.warnings,
        "expectations": [_result(result) for result in found.results],
        "explained": [_explained(one) for one in found.explained],
        "unexplained": [difference(one) for one in found.unexplained],
        "causes": [
            {**difference(cause.difference), "following": _following(cause.following)} for cause in found.causes
        ],
        "differences": found.differences,
        "other": found.other,
        "compared": found.compared,
        "not_compared": list(found.not_compared),
        "notes": list(found.notes),
        "growing": [{**asdict(growth), "per_minute": growth.per_minute} for growth in found.growing],
    }


def _explained(one: Explained) -> dict[str, Any]:
    told = {"title": one.title, "verdict": str(one.verdict), "reason": one.reason, "times": one.times}
    return {**told, "following": _following(one.following), "place": one.place and one.place._asdict()}


def _following(found: Iterable[tuple[Difference, str]]) -> list[dict[str, Any]]:
    return [{**difference(one), "because": why} for one, why in found]


def _result(result: Result) -> dict[str, Any]:
    return {
        "title": result.title,
        "strength": result.strength,
        "kind": result.kind,
        "verdict": str(result.verdict),
        "reason": result.reason,
        "found": result.found,
        "failures": [_failure(failure) for failure in result.failures],
        "unproven": [_failure(failure) for failure in result.unproven],
        "waived": [_failure(failure) for failure in result.waived],
        "place": result.place and result.place._asdict(),
    }


def _failure(failure: Failure) -> dict[str, Any]:
    return {
        "device": failure.device,
        "record": value(failure.record),
        "reason": failure.reason,
        "demanded": list(failure.demanded),
        "before": value(failure.before),
        "failed_before": failure.already,
        "evidence": [_line(line) for line in failure.evidence if not line.around],
        "around": [_line(line) for line in failure.evidence if line.around],
        "name": failure.name,
    }


def _line(evidence: Evidence) -> dict[str, Any]:
    told = {"when": evidence.when, "command": evidence.command, "line": evidence.line, "text": evidence.text}
    return {**told, "device": evidence.device} if evidence.device else told


def difference(one: Difference) -> dict[str, Any]:
    """A difference in the form of `compare --format json`."""
    fields = {name: [value(old), value(new)] for name, (old, new) in one.fields.items()}
    told = {"kind": one.kind, "key": value(one.key), "what": one.what, "fields": fields}
    return told if one.perhaps is None else {**told, "perhaps": value(one.perhaps), "because": one.because}


def comparison(found: Comparison) -> list[dict[str, Any]]:
    return [difference(one) for one in found.differences]


def reading(found: Reading) -> dict[str, Any]:
    """A reading in the form of `read --format json`."""
    records = {name: rows(table.to_pylist()) for name, table in found.records.items()}
    unread = [{"line": one.line, "text": one.text, "reason": one.reason} for one in found.unread]
    return {"records": records, "unread": unread}


def rows(found: Iterable[Mapping[str, Any]]) -> list[dict[str, Any]]:
    return [value(row) for row in found]
