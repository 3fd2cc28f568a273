"""`nogging perform`"""

from __future__ import annotations

import signal
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from types import FrameType
from typing import Annotated, Any

import typer
from rich.text import Text

from nogging.changes.run.journal import JOURNAL, end_of, read
from nogging.changes.run.outcome import BEFORE, Performance, State
from nogging.changes.run.performing import perform, resume
from nogging.changes.run.stopping import SIGNALS
from nogging.changes.told import ticket, wording
from nogging.changes.told.reporting import write_page
from nogging.cli import FAIL, PASS, UNPROVEN
from nogging.cli.capture import secret
from nogging.cli.run import (
    OutsideOption,
    PageFormat,
    PageFormatOption,
    ProgramsOption,
    change_of,
    print_json,
    print_lines,
    width,
    willing,
)
from nogging.errors import QuestionError
from nogging.inventory import load_inventory
from nogging.judging.verdict import Verdict
from nogging.report import text

STATUS = {State.IN: PASS, State.AS_BEFORE: FAIL, State.REFUSED: FAIL, State.ACT: UNPROVEN}


def command(
    change: Annotated[Path | None, typer.Argument(help="The change file.")] = None,
    to: Annotated[Path | None, typer.Option("--to", help="Where all that comes of it is kept.")] = None,
    inventory: Annotated[Path | None, typer.Option(help="The devices, where the change file does not say.")] = None,
    resume_: Annotated[Path | None, typer.Option("--resume", help="Go on where this performance was stopped.")] = None,
    back_out: Annotated[bool, typer.Option("--back-out", help="With --resume: back out instead.")] = False,
    format: PageFormatOption = PageFormat.TEXT,
    outside: OutsideOption = False,
    programs: ProgramsOption = False,
) -> int:
    """Takes the network through a change, and proves how it ended.

    Exit status: 0 the change is in; 1 nothing was touched, or all is as it was; 3 a person must act.
    """
    if format is PageFormat.CSV:
        raise QuestionError("a performance is not printed as csv; it is as text, json, markdown and junit")
    if (change is None) == (resume_ is None):
        raise QuestionError("either a change file, or --resume with the folder of one that was stopped")
    tell = _until_it_begins(print_event if format is PageFormat.TEXT else lambda _event: None)
    ask = _ask if sys.stdin.isatty() else None
    if resume_ is not None:
        began = next((event for event in read(resume_) if event["event"] == "begin"), None)
        if began is not None:
            willing(load_inventory(began["inventory"]))
        with _unended(resume_):
            performance = resume(resume_, back_out=back_out, ask=ask, secret=secret(), tell=tell)
    else:
        assert change is not None
        loaded = change_of(change, inventory)
        place = to or change.with_name(f"{change.stem}-performed")
        with _unended(place):
            performance = perform(loaded, to=place, ask=ask, secret=secret(), tell=tell)
    for number in SIGNALS:
        signal.signal(number, signal.SIG_IGN)  # Python itself hears none any more while it ends
    page = write_page(performance.folder) if (performance.folder / BEFORE).is_dir() else None
    if format is PageFormat.JSON:
        print_json(wording.plainly(performance))
    elif format is not PageFormat.TEXT:
        told = ticket.ticket(performance.folder)
        print(ticket.as_markdown(told) if format is PageFormat.MARKDOWN else ticket.as_junit(told), end="")
    else:
        print_lines(ending(performance))
        print_lines([Text(), Text(f"the page: {page}")] if page else [])
        if performance.state is State.ACT:
            print_lines(
                [Text(f"then:     nogging perform --resume {performance.folder}   goes on; with --back-out, backs out")]
            )
    return STATUS[performance.state]


def _until_it_begins(tell: Callable[[dict[str, Any]], None]) -> Callable[[dict[str, Any]], None]:
    """A signal ends the command until the first event is told. From then on the performance hears it; and what it came
    to is told to the end, with its exit status, whatever comes then."""
    begun: list[bool] = []

    def signalled(number: int, frame: FrameType | None) -> None:
        if not begun:
            raise KeyboardInterrupt

    def told(event: dict[str, Any]) -> None:
        begun.append(True)
        tell(event)

    for number in SIGNALS:
        if signal.getsignal(number) != signal.SIG_IGN:
            signal.signal(number, signalled)
    return told


@contextmanager
def _unended(folder: Path) -> Iterator[None]:
    """Says how to go on where a performance is stopped in the middle, by hand or by an error."""
    try:
        yield
    except BaseException:
        events = list(read(folder)) if (folder / JOURNAL).is_file() else []
        told = {event["event"] for event in events}
        if "before" in told and end_of(events) is None:
            print(
                f"nogging: stopped in the middle; go on with: nogging perform --resume {folder}   (or --back-out)",
                file=sys.stderr,
            )
        raise


def ending(performance: Performance) -> list[Any]:
    """What was judged, where that explains the ending; and the ending, last: there a terminal stands still."""
    lines: list[Any] = []
    if performance.judgement is not None and performance.judgement.verdict is not Verdict.PASS:
        lines += [Text(), *text.judgement(performance.judgement, width()), Text()]
    return [*lines, *wording.performance(performance, width())]


def print_event(event: dict[str, Any]) -> None:
    line = wording.event(event)
    if line is not None:
        print_lines([line])


def _ask(question: str) -> str:
    while True:
        answer = input(question)
        if answer.strip().lower() in ("y", "yes", "n", "no"):
            return answer
        question = "yes or no? "
