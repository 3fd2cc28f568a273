"""Expectations as tests of pytest: it comes with the package, and asks nothing of a run that does not speak of it.

Given a capture (`--nogging-after`, or `nogging_after` in pytest's own file of settings), each file of expectations is
collected, and each expectation is a test: what fails, fails with its evidence; what is unproven is told apart and fails
the run as well; what only `should` be is a warning. A file is judged once, when its first test runs.

pytest loads this in every run of somebody who has Nogging installed: nothing else of it is imported before it is used.
"""

from __future__ import annotations

import fnmatch
from collections import Counter
from collections.abc import Iterator
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest

if TYPE_CHECKING:
    from nogging import Capture, Comparison, Judgement
    from nogging.judging.listing import ListedExpectation
    from nogging.judging.verdict import Result
    from nogging.standin import Served

_AFTER, _BEFORE, _FILES = "nogging_after", "nogging_before", "nogging_files"
_USUAL = ["expectations*.yaml", "*[-_.]expectations.yaml"]
_UNPROVEN = ("nogging", "unproven")
_NOTHING_ELSE, _WHOLE = "nothing else happens", "all of it was judged"
_RESULTS, _EXPLAINED, _DIFFERENCES = "results", "explained", "differences"
Of = tuple[str, int]
"""Which part of a judgement a test is of, and the how manieth of its kind."""


class ShouldWarning(pytest.PytestWarning):
    """What `should` be so, and is not, or is not proven."""


class Unproven(Exception):
    """The evidence is missing, or was not understood."""


class ExpectationFailed(Exception):
    """An expectation does not hold."""


def pytest_addoption(parser: pytest.Parser) -> None:
    group = parser.getgroup("nogging", "expectations on a network")
    about = {_AFTER: "the capture to judge", _BEFORE: "the capture from before the change"}
    for name, what in about.items():
        group.addoption(f"--{name.replace('_', '-')}", metavar="DIR", help=f"{what}; expectations are tests then")
        parser.addini(name, what, type="string", default="")
    parser.addini(_FILES, "which files are of expectations, by their names", type="args", default=_USUAL)


def pytest_configure(config: pytest.Config) -> None:
    config.addinivalue_line("markers", "device(name): the expectation is about this device")
    config.addinivalue_line("markers", "label(NAME=VALUE): the expectation is about a device that bears this label")


def _given(config: pytest.Config, name: str) -> Path | None:
    """A capture that was given: in the command line relative to where it was typed, in the settings to their file."""
    option = config.getoption(name)
    if option:
        return Path(config.invocation_params.dir, option)
    written = str(config.getini(name))
    folder: Path = config.inipath.parent if config.inipath else config.rootpath
    return folder / written if written else None


def pytest_collect_file(file_path: Path, parent: pytest.Collector) -> pytest.Collector | None:
    known = any(fnmatch.fnmatch(file_path.name, pattern) for pattern in parent.config.getini(_FILES))
    typed = file_path.suffix in (".yaml", ".yml") and parent.session.isinitpath(file_path)
    asked = known or typed if _given(parent.config, _AFTER) else known and typed
    return ExpectationsFile.from_parent(parent, path=file_path) if asked else None


class ExpectationsFile(pytest.File):
    """A file of expectations. A mistake in it, or in what is to be judged, is told instead of tests."""

    def collect(self) -> Iterator[pytest.Item]:
        from nogging.captures.saved import opened
        from nogging.errors import NoggingError
        from nogging.judging.listing import listing

        given = _given(self.config, _AFTER)
        if given is None:
            raise self.CollectError(_which(_AFTER))
        try:
            after = opened(given)
            listed = listing(self.path, of=after)
            labels = {name: dict(device.labels) for name, device in after.devices.items()}
        except NoggingError as error:
            raise self.CollectError(str(error)) from None
        seen: Counter[str] = Counter()
        for n, expectation in enumerate(listed.expectations):
            item = self._item(expectation.title, seen, (_RESULTS, n))
            item.line = expectation.place.line if expectation.place else 1
            _mark(item, expectation, labels)
            yield item
        for n, title in enumerate(listed.explained):
            yield self._item(title, seen, (_EXPLAINED, n))
        if listed.other not in (None, "ignore"):
            yield self._item(_NOTHING_ELSE, seen, (_DIFFERENCES, 0))
        yield self._item(_WHOLE, seen, (_WHOLE, 0))

    def _item(self, title: str, seen: Counter[str], of: Of) -> Item:
        from nogging.report.cleaning import clean

        title = clean(title)  # it goes to the terminal
        seen[title] += 1
        name = title if seen[title] == 1 else f"{title} ({seen[title]})"
        item: Item = Item.from_parent(self, name=name, of=of)
        return item

    @cached_property
    def judgement(self) -> Judgement:
        from nogging import check

        before = _given(self.config, _BEFORE)
        return check(self.path, after=str(_given(self.config, _AFTER)), before=str(before) if before else None)


def _mark(item: pytest.Item, expectation: ListedExpectation, labels: dict[str, dict[str, str]]) -> None:
    """Marks a test with the devices that it is about, and with their labels; `-k` knows both by their bare names."""
    for device in expectation.devices:
        item.add_marker(pytest.mark.device(name=device))
    worn = {(name, value) for device in expectation.devices for name, value in labels[device].items()}
    for name, value in sorted(worn):
        item.add_marker(pytest.mark.label(**{name: value}))
    item.extra_keyword_matches.update(expectation.devices, (value for _, value in worn))


class Item(pytest.Item):
    """One expectation, one entry that explains, or that nothing else happens."""

    def __init__(self, *, of: Of, **given: Any) -> None:
        super().__init__(**given)
        self.of = of
        self.line = 1

    def runtest(self) -> None:
        assert isinstance(self.parent, ExpectationsFile)
        self._end(*_ended(self.parent.judgement, *self.of))

    def _end(self, verdict: str, told: str, only_warns: bool) -> None:
        if verdict == "pass":
            return
        if only_warns:
            self.warn(ShouldWarning(f"{verdict}: {told}"))
            return
        if verdict == "unproven":
            self.user_properties.append(_UNPROVEN)
            raise Unproven(told)
        raise ExpectationFailed(told)

    def repr_failure(self, excinfo: pytest.ExceptionInfo[BaseException], style: Any = None) -> Any:
        from nogging.errors import NoggingError

        if isinstance(excinfo.value, ExpectationFailed | Unproven | NoggingError):
            return str(excinfo.value)
        return super().repr_failure(excinfo, style)

    def reportinfo(self) -> tuple[Path, int | None, str]:
        return self.path, self.line - 1, self.name


def _ended(judgement: Judgement, part: str, n: int) -> tuple[str, str, bool]:
    """The verdict of a part of a judgement, what is told of it, and whether it only warns."""
    if part == _RESULTS:
        result = judgement.results[n]
        return str(result.verdict), _result(result), result.strength == "should"
    if part == _WHOLE:
        return _whole(judgement)
    if not judgement.compared:
        return "unproven", "differences were not judged: give --nogging-before", False
    if part == _EXPLAINED:
        entry = judgement.explained[n]
        return str(entry.verdict), f"{entry.title}: {entry.reason}", False
    return (*_nothing_else(judgement), judgement.other == "warn")


def _result(result: Result) -> str:
    from nogging.report import text

    place = f"{result.place}: " if result.place else ""
    return "\n".join([f"{place}{result.kind}", *(line.plain for line in text.result(result))])


def _nothing_else(judgement: Judgement) -> tuple[str, str]:
    """Whether nothing else happened, and what did."""
    from nogging.report import text

    verdict, reason, told = text.nothing_else(judgement)
    return str(verdict), "\n".join([reason, *(told or judgement.not_compared)])


def _whole(judgement: Judgement) -> tuple[str, str, bool]:
    """What no part by itself says, as that the captures are the wrong way round: never is the run better than the
    verdict."""
    parts = [(_RESULTS, n) for n in range(len(judgement.results))] + [
        (_EXPLAINED, n) for n in range(len(judgement.explained))
    ]
    parts += [(_DIFFERENCES, 0)] if judgement.other not in (None, "ignore") else []
    said = {verdict for verdict, _, only_warns in (_ended(judgement, *part) for part in parts) if not only_warns}
    if judgement.verdict == "pass" or str(judgement.verdict) in said:
        return "pass", "", False
    return str(judgement.verdict), "\n".join(["as a whole", *judgement.notes]), False


def pytest_report_teststatus(report: pytest.TestReport) -> tuple[str, str, Any] | None:
    if report.failed and _UNPROVEN in [tuple(stated) for stated in getattr(report, "user_properties", ())]:
        return "unproven", "U", ("UNPROVEN", {"yellow": True})
    return None


def pytest_terminal_summary(terminalreporter: Any) -> None:
    reports = terminalreporter.getreports("unproven")
    if not reports or terminalreporter.config.option.tbstyle == "no":
        return
    terminalreporter.write_sep("=", "UNPROVEN")
    for report in reports:
        terminalreporter.write_sep("_", report.head_line or report.nodeid, yellow=True, bold=True)
        terminalreporter.write_line(str(report.longrepr))


def _which(name: str) -> str:
    return f"which capture is meant? Give --{name.replace('_', '-')} DIR, or {name} in the settings of pytest"


def _capture(config: pytest.Config, name: str) -> Capture:
    from nogging.captures.saved import opened

    given = _given(config, name)
    if given is None:
        pytest.fail(_which(name), pytrace=False)
    return opened(str(given))


@pytest.fixture(scope="session")
def nogging_after(pytestconfig: pytest.Config) -> Capture:
    """The capture to judge (`--nogging-after`)."""
    return _capture(pytestconfig, _AFTER)


@pytest.fixture(scope="session")
def nogging_before(pytestconfig: pytest.Config) -> Capture:
    """The capture from before the change (`--nogging-before`)."""
    return _capture(pytestconfig, _BEFORE)


@pytest.fixture(scope="session")
def nogging_comparison(nogging_before: Capture, nogging_after: Capture) -> Comparison:
    """What differs between the two captures."""
    from nogging import compare

    return compare(nogging_before, nogging_after)


@pytest.fixture(scope="session")
def nogging_stand_in(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Served]:
    """The stand-in network, served on loopback: its `inventory`, its `expectations`, and the `network` to change."""
    from nogging.standin import served

    with served(tmp_path_factory.mktemp("stand-in")) as network:
        yield network
