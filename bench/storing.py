"""Points into a real InfluxDB on loopback, against its own client for Python: the same points, the same store."""

from __future__ import annotations

import shutil
import socket
import subprocess
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import replace
from datetime import timedelta
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import nogging
from bench.capturing import served
from bench.measure import Figure, ratio
from nogging.metrics.points import Point, points
from nogging.metrics.store import PIECE, send

MOMENTS = 100


def _free_port() -> int:
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])


@contextmanager
def _store(place: Path) -> Iterator[int]:
    """A store with two databases, `ours` and `theirs`; its port."""
    port, inner = _free_port(), _free_port()
    (place / "config").write_text(
        f'bind-address = "127.0.0.1:{inner}"\nreporting-disabled = true\n'
        f'[meta]\ndir = "{place}/meta"\n[data]\ndir = "{place}/data"\nwal-dir = "{place}/wal"\n'
        f'[http]\nbind-address = "127.0.0.1:{port}"\nlog-enabled = false\n'
    )
    run = subprocess.Popen(["influxd", "-config", str(place / "config")], stderr=subprocess.DEVNULL)
    try:
        for name in ("ours", "theirs"):
            for _ in range(100):
                with suppress(OSError):
                    asked = f"http://127.0.0.1:{port}/query?q=CREATE+DATABASE+{name}"
                    urllib.request.urlopen(urllib.request.Request(asked, b"", method="POST"))
                    break
                time.sleep(0.1)
        yield port
    finally:
        run.terminate()
        run.wait()


def figures() -> Iterator[Figure]:
    if not (shutil.which("influxd") and find_spec("influxdb")):
        return
    with tempfile.TemporaryDirectory() as place, served(Path(place)) as inventory:
        told = list(points(nogging.capture(inventory, to=Path(place) / "c")))
        many = [replace(one, at=one.at + timedelta(minutes=n)) for n in range(MOMENTS) for one in told]
        with _store(Path(place)) as port:
            yield _sent(many, port)


def _sent(many: list[Point], port: int) -> Figure:
    from influxdb import InfluxDBClient

    client = InfluxDBClient("127.0.0.1", port, database="theirs")

    def theirs() -> None:
        bodies: list[dict[str, Any]] = [
            {"measurement": one.kind, "tags": one.labels, "fields": one.fields, "time": one.at} for one in many
        ]
        client.write_points(bodies, batch_size=PIECE, time_precision="ms")

    what = f"{len(many):,} points into a real InfluxDB"
    ours = f"http://127.0.0.1:{port}/write?db=ours"
    return ratio(what, lambda: send(many, ours), "its own client for Python", theirs)
