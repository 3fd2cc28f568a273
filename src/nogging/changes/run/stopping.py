"""Being asked to stop: Ctrl-C, a closed terminal, SIGTERM.

A signal interrupts Python wherever it happens to be: in the database, between a line and its answer, while something is
written. So what is done to a network is done on a thread of its own, which no signal reaches. The first thread waits
for it, hears the signals, and puts the questions to a person. The work looks up (`check`) where it can be left: before
each step, each line, each capture, and while it waits. From the moment that backing out, or saving, has begun it does
not look up any more (`deafen`): that is carried through, however often somebody asks.
"""

from __future__ import annotations

import queue
import signal
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Future
from contextlib import contextmanager, suppress
from types import FrameType
from typing import Any, TypeVar

from nogging.changes.run.outcome import CannotGoOn
from nogging.collecting.collect import Ask

WorkResult = TypeVar("WorkResult")

SIGNALS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
_LOOKS_UP = 0.1
"""Seconds between two looks at whether somebody asks for something. (Not by a `SimpleQueue`, which in CPython 3.11
waits for ever where a signal comes in the moment that its time is over.)"""


class Stop:
    """Whether somebody asked to stop. `heard` is told of each time that somebody does."""

    def __init__(self, heard: Callable[[str, bool], None] = lambda _name, _deaf: None) -> None:
        self.asked: list[str] = []
        self.deaf = False
        self.heard = heard
        self._asks = 0
        self._questions: queue.Queue[tuple[Callable[[], Any], Future[Any]]] = queue.Queue()
        self._at_prompt = False
        self._worker: threading.Thread | None = None

    def check(self) -> None:
        """Raises `Failed` where somebody asked to stop, and that is still open."""
        if self.asked and not self.deaf:
            raise CannotGoOn(f"stopped by hand ({self.asked[0]})")

    def deafen(self) -> None:
        """From now on the work is carried through."""
        self.deaf = True

    def sleep(self, seconds: float) -> None:
        """Sleeps, unless somebody asks to stop."""
        ends = time.monotonic() + seconds
        while (left := ends - time.monotonic()) > 0:
            self.check()
            time.sleep(min(left, _LOOKS_UP))
        self.check()

    def in_front(self, ask: Ask | None) -> Ask | None:
        """The same question, put by the first thread, where a signal ends it: `EOFError`, as if nobody were there."""
        if ask is None:
            return None
        asked = ask

        def question(text: str) -> str:
            if threading.current_thread() is not self._worker:
                return asked(text)
            answer: Future[str] = Future()
            self._questions.put((lambda: asked(text), answer))
            return answer.result()

        return question

    def run(self, work: Callable[[], WorkResult]) -> WorkResult:
        """Does the work while this thread hears the signals; where it is not the first one, it hears none."""
        if threading.current_thread() is not threading.main_thread():
            return work()
        done: Future[WorkResult] = Future()
        self._worker = threading.Thread(target=_into, args=(done, work), name="change")
        with self._hearing():
            self._worker.start()
            while not done.done() or self._worker.is_alive():
                self._turn()
        return done.result()

    def _turn(self) -> None:
        for name in self.asked[self._asks :]:
            self._asks += 1
            with suppress(Exception):  # the last one may come when nothing is written any more
                self.heard(name, self.deaf)
        try:
            work, answer = self._questions.get(timeout=_LOOKS_UP)
        except queue.Empty:
            return
        try:
            self._at_prompt = True
            _into(answer, work)
            self._at_prompt = False
        except EOFError:  # it came just before the question, or just after the answer
            if not answer.done():
                answer.set_exception(EOFError())

    @contextmanager
    def _hearing(self) -> Iterator[None]:
        unheard = (signal.SIG_IGN, None)  # nohup wants it to go on
        heard = {number: was for number in SIGNALS if (was := signal.getsignal(number)) not in unheard}
        for number in heard:
            signal.signal(number, self._signalled)
        try:
            yield
        finally:
            for number, was in heard.items():
                signal.signal(number, was)

    def _signalled(self, number: int, frame: FrameType | None) -> None:
        self.asked.append(signal.Signals(number).name)
        if self._at_prompt:
            self._at_prompt = False
            raise EOFError


def _into(result: Future[Any], work: Callable[[], Any]) -> None:
    try:
        result.set_result(work())
    except BaseException as error:
        result.set_exception(error)
