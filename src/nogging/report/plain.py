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


def value(told: Any) -> Any:
    """A value as JSON has it: moments in ISO 8601, UTC."""
    if isinstance(told, datetime):
        moment = told.replace(tzinfo=UTC) if told.tzinfo is None else told.astimezone(UTC)
        return moment.isoformat().replace("+00:00", "Z")
    if isinstance(told, Mapping):
        return {name: value(inner) for name, inner in told.items()}
    return [value(inner) for inner in told] if isinstance(told, list | tuple) else told


def judgement(judged: Judgement) -> dict[str, Any]:
    """A judgement in the form of `check --format json`."""
    return {
        "format": FORMAT,
        "verdict": str(judged.verdict),
        "title": judged.title,
        "warnings": judged.warnings,
        "expectations": [_result(result) for result in judged.results],
        "explained": [_explained(explained) for explained in judged.explained],
        "unexplained": [difference(unexplained) for unexplained in judged.unexplained],
        "causes": [
            {**difference(cause.difference), "following": _following(cause.following)} for cause in judged.causes
        ],
        "differences": judged.differences,
        "other": judged.other,
        "compared": judged.compared,
        "not_compared": list(judged.not_compared),
        "notes": list(judged.notes),
        "growing": [{**asdict(growth), "per_minute": growth.per_minute} for growth in judged.growing],
    }


def _explained(explained: Explained) -> dict[str, Any]:
    told = {
        "title": explained.title,
        "verdict": str(explained.verdict),
        "reason": explained.reason,
        "times": explained.times,
    }
    return {
        **told,
        "following": _following(explained.following),
        "place": explained.place and explained.place._asdict(),
    }


def _following(following: Iterable[tuple[Difference, str]]) -> list[dict[str, Any]]:
    return [{**difference(follower), "because": why} for follower, why in following]


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


def difference(differing: Difference) -> dict[str, Any]:
    """A difference in the form of `compare --format json`."""
    fields = {name: [value(old), value(new)] for name, (old, new) in differing.fields.items()}
    told = {"kind": differing.kind, "key": value(differing.key), "what": differing.what, "fields": fields}
    return (
        told
        if differing.perhaps is None
        else {**told, "perhaps": value(differing.perhaps), "because": differing.because}
    )


def comparison(compared: Comparison) -> list[dict[str, Any]]:
    return [difference(differing) for differing in compared.differences]


def reading(read: Reading) -> dict[str, Any]:
    """A reading in the form of `read --format json`."""
    records = {name: rows(table.to_pylist()) for name, table in read.records.items()}
    unread = [{"line": line.line, "text": line.text, "reason": line.reason} for line in read.unread]
    return {"records": records, "unread": unread}


def rows(records: Iterable[Mapping[str, Any]]) -> list[dict[str, Any]]:
    return [value(row) for row in records]
