"""`nogging metrics`"""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from nogging.captures.history import History, is_history
from nogging.captures.saved import opened
from nogging.cli import PASS
from nogging.cli.run import address_and_port, captured
from nogging.errors import QuestionError
from nogging.judging.verdict import many
from nogging.metrics.listening import PATH, Latest, server
from nogging.metrics.points import points
from nogging.metrics.store import LINES, REMOTE, Transport, send, send_new
from nogging.metrics.written import ALERTS, line_protocol, openmetrics


class Written(StrEnum):
    OPENMETRICS = "openmetrics"
    LINES = "line-protocol"


def command(
    folder: Annotated[Path | None, typer.Argument(help="A capture, a history, or a moment.", metavar="DIR")] = None,
    format: Annotated[Written, typer.Option("--format", help="How to write the numbers.")] = Written.OPENMETRICS,
    listen: Annotated[
        str | None, typer.Option(help="Answer what scrapes, with the last moment: PORT, or ADDRESS:PORT.")
    ] = None,
    send_to: Annotated[
        str | None,
        typer.Option("--send", help="A store's address for line protocol; of a history, all that is not there yet."),
    ] = None,
    remote_write: Annotated[
        str | None, typer.Option(help="The same by remote write, to Prometheus or its like: http://…/api/v1/write.")
    ] = None,
    alerts: Annotated[bool, typer.Option("--alerts", help="Print rules for alerts, for Prometheus.")] = False,
) -> int:
    """The numbers of a capture for a store: counters, gauges, timers and states, with keys and labels.

    Without more, they are printed. --listen serves them on loopback; --send writes them to a store over HTTP.
    """
    if alerts:
        print(ALERTS.read_text(encoding="utf-8"), end="")
        return PASS
    if folder is None:
        raise QuestionError("say of which capture or history: nogging metrics DIR")
    if send_to is not None or remote_write is not None:
        for url, way in ((send_to, LINES), (remote_write, REMOTE)):
            if url is not None:
                _send(folder, url, way)
        return PASS
    if listen is not None:
        _serve(folder, listen)
    write = openmetrics if format is Written.OPENMETRICS else line_protocol
    print(write(points(opened(captured(folder)))), end="")
    return PASS


def _send(folder: Path, url: str, way: Transport) -> None:
    if is_history(folder):
        sent, left = send_new(History(folder), url, way)
        print(f"{many(sent, 'moment')} sent, {left} left")
    else:
        send(points(opened(captured(folder))), url, way)


def _serve(folder: Path, listen: str) -> None:
    address, port = address_and_port(listen, "--listen")
    with server(address, port, Latest(captured(folder)).text) as listener:
        print(f"http://{listener.server_address[0]!s}:{listener.server_address[1]}{PATH}; Ctrl-C stops it", flush=True)
        listener.serve_forever()
