"""What is asked of many devices at once, brought to its end from wherever it is called.

A notebook has a loop running, in which no other can run; there the work is done in a thread beside it.
"""

from __future__ import annotations

import asyncio
import contextvars
from collections.abc import Coroutine
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

Ended = TypeVar("Ended")


def finish(work: Coroutine[Any, Any, Ended]) -> Ended:
    """The result of the work. Whoever interrupts the wait (Ctrl-C, a notebook's stop) ends the work as well."""
    try:
        asyncio.get_running_loop()
    except RuntimeError:
        return asyncio.run(work)
    begun: list[tuple[asyncio.AbstractEventLoop, asyncio.Task[Any]]] = []

    async def known() -> Ended:
        task = asyncio.current_task()
        assert task is not None
        begun.append((asyncio.get_running_loop(), task))
        return await work

    with ThreadPoolExecutor(1) as beside:
        waiting = beside.submit(contextvars.copy_context().run, asyncio.run, known())
        try:
            return waiting.result()
        except KeyboardInterrupt:
            for loop, task in begun:
                loop.call_soon_threadsafe(task.cancel)
            raise
