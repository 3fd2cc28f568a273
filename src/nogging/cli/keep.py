"""`nogging keep`"""

from __future__ import annotations

import signal
import sys
import textwrap
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import Annotated

import typer

from nogging.captures.history import FIRST
from nogging.captures.thinning import Rules
from nogging.changes.run.receivers import Receivers
from nogging.cli import PASS
from nogging.cli.capture import secret
from nogging.cli.run import ProgramsOption, width, willing
from nogging.collecting.keeping import TurnTold, keep
from nogging.collecting.schedule import entry
from nogging.collecting.visiting import AT_ONCE, Limits
from nogging.inventory import Inventory, load_inventory
from nogging.judging.noticing import ENDED, GOES_ON, Notice, NoticedExpectation
from nogging.judging.verdict import Verdict, many


def command(
    inventory: Annotated[Path, typer.Argument(help="The inventory, YAML or CSV; read anew before each turn.")],
    to: Annotated[Path, typer.Option(help="The directory of the history; it goes on where it ended.")],
    every: Annotated[
        list[str] | None,
        typer.Option(help="How often: 5m, 02:30 (UTC), or some kinds only: neighbor,interface=1m. Several times."),
    ] = None,
    on: Annotated[str | None, typer.Option(help="Only devices for which this predicate holds.")] = None,
    thin: Annotated[
        str | None, typer.Option(help="Which moments stay as they grow old: hour=all,month=hourly,year=daily.")
    ] = None,
    a_minute: Annotated[float | None, typer.Option(min=1, help="How many commands a device is asked a minute.")] = None,
    at_once: Annotated[int, typer.Option(min=1, help="How many devices at a time.")] = AT_ONCE,
    turns: Annotated[int | None, typer.Option(min=1, help="So many turns, and no more.")] = None,
    expectations: Annotated[
        Path | None, typer.Option("--expect", help="Expectations to judge each moment by; what changes in it is told.")
    ] = None,
    against: Annotated[
        str, typer.Option(help="The moment that 'before' means in them: first, or 2026-11-20T02:00.")
    ] = FIRST,
    windows: Annotated[
        Path | None, typer.Option("--expect-over", help="Expectations over windows of time, judged as well.")
    ] = None,
    store: Annotated[str, typer.Option("--send", help="A store for the numbers, as nogging metrics sends them.")] = "",
    remote_write: Annotated[str, typer.Option(help="A store for them by remote write.")] = "",
    notify: Annotated[
        Path | None, typer.Option(help="Who is told of what changes in the verdicts: a file of receivers.")
    ] = None,
    programs: ProgramsOption = False,
) -> int:
    """Captures again and again, and keeps it as one history.

    Every moment of it opens as a capture: nogging compare DIR@first DIR@now, DIR@2026-11-20T02:00, DIR@90m.
    """
    entries = [entry(text) for text in every or ["5m"]]
    rules = Rules.parse(thin) if thin else None
    receivers = Receivers.load(notify, to, secret()) if notify else None

    def tell(told: TurnTold) -> None:
        problems = receivers.tell(told.notices, told.at) if receivers else []
        print(line(replace(told, remarks=(*told.remarks, *problems))), flush=True)

    def load() -> Inventory:
        others = (receivers.model,) if receivers else ()
        return willing(load_inventory(inventory), *others).on(on)

    was = signal.signal(signal.SIGTERM, signal.default_int_handler)  # as Ctrl-C: what is under way is left
    try:
        keep(
            load,
            to,
            entries,
            rules=rules,
            limits=Limits(at_once=at_once, a_minute=a_minute),
            turns=turns,
            tell=tell,
            ask=secret(),
            expectations=expectations,
            against=against,
            windows=windows,
            store=store,
            remote_write=remote_write,
        )
    finally:
        signal.signal(signal.SIGTERM, was)
    return PASS


def line(told: TurnTold) -> str:
    """A turn in one line, and below it what a person should know."""
    kinds = f" of {', '.join(told.kinds)}" * bool(told.kinds)
    lost = f", {many(told.missed, 'turn')} missed" * bool(told.missed)
    verdict = f"{told.verdict:<10}" * bool(told.verdict)
    head = (
        f"{told.at:%Y-%m-%d %H:%M:%S}  {verdict}{told.captured} of {many(told.devices, 'device')}, "
        f"{many(told.answers, 'answer')}{kinds}, {told.new} new, {told.octets / 1000:.1f} kB, "
        f"{told.seconds:.1f} s{lost}"
    )
    below = [text for noticed in told.notices for text in notice(noticed)] + list(told.remarks)
    return "\n".join([head, *(_below(line) for line in below)])


def _below(text: str) -> str:
    """A line below that of the turn, in a terminal folded between its words."""
    if not sys.stdout.isatty():
        return f"    {text}"
    indent = " " * (len(text) - len(text.lstrip()) + 4)
    return textwrap.fill(text.strip(), width(), initial_indent=indent, subsequent_indent=f"{indent}  ")


def notice(noticed: Notice) -> list[str]:
    """A notice in lines: each expectation with its verdict, and what it likely follows from."""
    lines = [f"{_told(noticed.what, about, noticed.at)}" for about in noticed.about]
    return [*lines, *(f"  likely from {cause}" for cause in noticed.causes)]


def _told(what: str, about: NoticedExpectation, at: datetime) -> str:
    lasted = str(at - about.since).split(".")[0]
    if what == ENDED:
        return f"passes again, after {lasted}: {about.title}"
    verdict = "fails" if about.verdict == Verdict.FAIL else "is unproven"
    since = f" for {lasted}" * (what == GOES_ON)
    return f"{verdict}{since}: {about.title}{f': {about.reason}' if about.reason else ''}"
