"""A judgement as a log of the Static Analysis Results Interchange Format, version 2.1.0 (OASIS): what code review shows
at the line of an expectation, with the lines of the answers that tell.

An expectation is a rule. What is unproven is of the kind `open` and what passed of the kind `pass`, to both of which
the standard gives no level (section 3.27.10); so a viewer that lists errors alone does not show what is unproven: the
verdict stands in the `properties` of the run.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from typing import Any
from urllib.parse import quote

from nogging.captures.names import file_name, folder_name
from nogging.files import Place
from nogging.judging.verdict import Difference, Evidence, Explained, Failure, Judgement, Result, Verdict
from nogging.release import VERSION
from nogging.report import plain, text
from nogging.report.cleaning import clean

_LEVELS = {"must": "error", "should": "warning", "fail": "error", "warn": "warning", "ignore": "note"}
_KINDS = {Verdict.PASS: "pass", Verdict.FAIL: "fail", Verdict.UNPROVEN: "open"}
UNEXPLAINED = "unexplained"
_BASES = {"before": "BEFORE", "after": "AFTER"}
"""The folders of the captures, which the one who shows the log fills in (section 3.14.14)."""


def log(judged: Judgement) -> dict[str, Any]:
    """The log of `check --format sarif`."""
    entries: list[Result | Explained] = [*judged.results, *judged.explained]
    names = _identities([entry.title for entry in entries])
    rules = [_rule(name, entry.title, _strength(entry)) for name, entry in zip(names, entries, strict=True)]
    rules.append(_rule(UNEXPLAINED, "Nothing else happens", judged.other))
    results = [result for n, entry in enumerate(entries) for result in _results(n, names[n], entry)]
    results += [_unexplained(difference, len(entries), judged.other) for difference in judged.unexplained]
    driver = {"name": "Nogging", "semanticVersion": VERSION, "rules": rules}
    bases = {name: {"description": {"text": f"the capture {when}"}} for when, name in _BASES.items()}
    run = {
        "tool": {"driver": driver},
        "originalUriBaseIds": bases,
        "results": results,
        "properties": {
            "verdict": str(judged.verdict),
            "title": clean(judged.title),
            "notCompared": list(judged.not_compared),
        },
    }
    return {"version": "2.1.0", "runs": [run]}


def _identities(titles: Iterable[str]) -> list[str]:
    """A name for each that stays when others come before it; what has the same title is counted."""
    seen: Counter[str] = Counter()
    identities = []
    for title in map(clean, titles):
        seen[title] += 1
        identities.append(title if seen[title] == 1 else f"{title} ({seen[title]})")
    return identities


def _strength(result: Result | Explained) -> str:
    return result.strength if isinstance(result, Result) else "must"


def _rule(identity: str, title: str, strength: str) -> dict[str, Any]:
    return {
        "id": identity,
        "shortDescription": {"text": clean(title)},
        "defaultConfiguration": {"level": _LEVELS[strength]},
    }


def _results(n: int, rule: str, entry: Result | Explained) -> Iterator[dict[str, Any]]:
    """One for each record that did not pass, each at the place of its expectation; one where there is no record."""
    several: tuple[Failure, ...] = ()
    if isinstance(entry, Result) and entry.verdict is not Verdict.PASS:
        several = entry.failures if entry.verdict is Verdict.FAIL else entry.unproven
    for failure in several:
        assert isinstance(entry, Result)
        told = text.what_failed(failure) if entry.verdict is Verdict.FAIL else failure.reason
        about = f"{text.headed(entry.kind, failure)}: {told}".removeprefix(": ")
        related = [_answer(line, failure.device) for line in failure.evidence if not line.around]
        more: dict[str, Any] = {"relatedLocations": related} if related else {}
        if entry.verdict is Verdict.FAIL and failure.before is not None:
            more["baselineState"] = "unchanged" if failure.already else "new"
        yield _result(n, rule, entry.verdict, _strength(entry), about, entry.place) | more
    if not several:
        yield _result(n, rule, entry.verdict, _strength(entry), entry.reason, entry.place)


def _result(
    index: int, rule: str, verdict: Verdict, strength: str, message: str, place: Place | None
) -> dict[str, Any]:
    failed = verdict is Verdict.FAIL
    return {
        "ruleId": rule,
        "ruleIndex": index,
        "kind": _KINDS[verdict],
        "level": _LEVELS[strength] if failed else "none",
        "message": {"text": clean(message)},
        "locations": [_written(place)] if place else [],
    }


def _written(place: Place) -> dict[str, Any]:
    region = {"startLine": place.line, "startColumn": place.column}
    return {"physicalLocation": {"artifactLocation": {"uri": quote(place.file)}, "region": region}}


def _answer(line: Evidence, device: str) -> dict[str, Any]:
    """A line of an answer, in its file below the folder of its capture; the names of files are encoded once more."""
    place = f"answers/{folder_name(line.device or device)}/{file_name(line.command)}"
    where = {"uri": quote(place), "uriBaseId": _BASES.get(line.when, "AFTER")}
    return {
        "physicalLocation": {"artifactLocation": where, "region": {"startLine": max(line.line, 1)}},
        "message": {"text": clean(line.text)},
    }


def _unexplained(difference: Difference, index: int, other: str) -> dict[str, Any]:
    about = f"{difference.device}: {text.named(difference.kind, difference.key)}: {difference.what}"
    told: Mapping[str, Any] = plain.difference(difference)
    verdict = Verdict.PASS if other == "ignore" else Verdict.FAIL
    return _result(index, UNEXPLAINED, verdict, other, about, None) | {"properties": dict(told)}
