"""A judgement as JUnit XML: what a pipeline shows of a change. A verdict of `unproven` is an error, not a pass."""

from __future__ import annotations

from xml.etree import ElementTree

from nogging.judging.verdict import Explained, Failure, Judgement, Result, Verdict
from nogging.report import text
from nogging.report.cleaning import clean

DIFFERENCES = "differences"


def judgement(judged: Judgement) -> str:
    """The report of `check --format junit`: a case for each expectation and entry, and one for what is left."""
    return written(suite(judged))


def empty(title: str) -> ElementTree.Element:
    """A suite without a case yet."""
    return ElementTree.Element("testsuite", name=_said(title))


def case(kind: str, name: str, verdict: Verdict, reason: str, told: str) -> ElementTree.Element:
    """A case by itself."""
    case = ElementTree.Element("testcase", classname=kind, name=_said(name))
    _outcome(case, verdict, reason, told)
    return case


def suite(judged: Judgement) -> ElementTree.Element:
    """The cases of a judgement."""
    suite = empty(judged.title)
    for result in judged.results:
        named = {"classname": result.kind, "name": _said(result.title), **_written(result)}
        case = ElementTree.SubElement(suite, "testcase", named)
        _outcome(case, result.verdict, result.reason, _told(result), warns=result.strength == "should")
    for entry in judged.explained:
        named = {"classname": DIFFERENCES, "name": _said(entry.title), **_written(entry)}
        case = ElementTree.SubElement(suite, "testcase", named)
        _outcome(case, entry.verdict, entry.reason, "")
    if judged.compared and judged.other != "ignore":
        case = ElementTree.SubElement(suite, "testcase", classname=DIFFERENCES, name="nothing else changed")
        verdict, reason, told = text.nothing_else(judged)
        _outcome(case, verdict, reason, "\n".join(told), warns=judged.other == "warn")
    return suite


def _written(entry: Result | Explained) -> dict[str, str]:
    return {"file": _said(entry.place.file), "line": str(entry.place.line)} if entry.place else {}


def written(suite: ElementTree.Element) -> str:
    """A suite as a file."""
    counts = {"tests": len(suite), "failures": len(suite.findall("*/failure")), "errors": len(suite.findall("*/error"))}
    suite.attrib.update({name: str(n) for name, n in counts.items()})
    ElementTree.indent(suite)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ElementTree.tostring(suite, encoding="unicode") + "\n"


def _outcome(case: ElementTree.Element, verdict: Verdict, reason: str, told: str, warns: bool = False) -> None:
    if verdict is Verdict.PASS:
        return
    if warns:
        ElementTree.SubElement(case, "system-out").text = _said(f"warning: {reason}\n{told}".rstrip())
        return
    tag = "failure" if verdict is Verdict.FAIL else "error"
    ElementTree.SubElement(case, tag, message=_said(reason), type=str(verdict)).text = _said(told)


def _told(result: Result) -> str:
    return "\n".join(line for failure in (*result.failures, *result.unproven) for line in _lines(result, failure))


def _lines(result: Result, failure: Failure) -> list[str]:
    reason = text.what_failed(failure) if result.verdict is Verdict.FAIL else failure.reason
    lines = [f"{text.headed(result.kind, failure)}: {reason}"]
    return lines + [f"  {line.when} {line.command}:{line.line}: {line.text}" for line in failure.evidence]


def _said(told: str) -> str:
    """Text that XML can hold: control characters are shown."""
    return "\n".join(clean(line) for line in told.split("\n"))
