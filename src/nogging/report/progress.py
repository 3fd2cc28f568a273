"""How far a capture is: a bar where somebody looks on, a line for each device where nobody does."""

from __future__ import annotations

import sys
from collections.abc import Callable
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass

from nogging.report.cleaning import behind


@dataclass(frozen=True)
class Progress:
    """Told after each device: how many are done of how many, and how this one went."""

    done: int
    total: int
    device: str
    outcome: str
    reason: str
    seconds: float
    commands: int


class Telling:
    """Tells of each device that is done: a bar on a terminal, plain lines in a pipe."""

    def __init__(self, total: int) -> None:
        from rich.console import Console
        from rich.progress import BarColumn, MofNCompleteColumn, TextColumn, TimeElapsedColumn
        from rich.progress import Progress as Bar

        self.console = Console(file=behind(sys.stderr), highlight=False)
        columns = TextColumn("capturing"), BarColumn(), MofNCompleteColumn(), TimeElapsedColumn()
        self.bar = Bar(*columns, console=self.console, transient=True, disable=not self.console.is_terminal)
        self.task = self.bar.add_task("", total=total)

    def __enter__(self) -> Telling:
        self.bar.start()
        return self

    def __exit__(self, *_: object) -> None:
        self.bar.stop()

    def __call__(self, progress: Progress) -> None:
        self.bar.advance(self.task)
        if not self.console.is_terminal:
            outcome = progress.outcome.replace("_", " ")
            told = f"{progress.device}: {outcome}, {progress.commands} answers in {progress.seconds:.1f} s"
            print(told, file=sys.stderr)


def telling(
    progress: Callable[[Progress], None] | bool, total: int
) -> AbstractContextManager[Callable[[Progress], None] | None]:
    """What is told after each device while this lasts: to a callable, by a bar, or nothing."""
    if callable(progress):
        return nullcontext(progress)
    return Telling(total) if progress else nullcontext(None)
