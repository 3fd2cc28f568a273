"""Numbers in the stores that people have: written to real ones, asked there, and held against the records."""

from __future__ import annotations

import json
import shutil
import subprocess
import threading
import urllib.error
import urllib.parse
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import nogging
from conftest import Build, Change, free_port, here, until
from nogging.captures.history import begun
from nogging.metrics.listening import server
from nogging.metrics.points import Point, points
from nogging.metrics.store import LINES, REMOTE, StoreError, Transport, send, send_new
from nogging.metrics.written import ALERTS, line_protocol, openmetrics
from test_history import MONDAY, added, texts


@contextmanager
def running(*command: str) -> Iterator[None]:
    with subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL) as process:
        try:
            yield
        finally:
            process.kill()


def asked(url: str, **query: str) -> Any:
    with urllib.request.urlopen(f"{url}?{urllib.parse.urlencode(query)}", timeout=10) as answer:
        return json.loads(answer.read())


@pytest.mark.skipif(shutil.which("influxd") is None, reason="InfluxDB is not installed")
def test_a_real_store_has_the_numbers_of_the_records(good: Change, tmp_path: Path) -> None:
    port, inner = free_port(), free_port()
    (tmp_path / "config").write_text(
        f'bind-address = "127.0.0.1:{inner}"\nreporting-disabled = true\n'
        f'[meta]\ndir = "{tmp_path}/meta"\n[data]\ndir = "{tmp_path}/data"\nwal-dir = "{tmp_path}/wal"\n'
        f'[http]\nbind-address = "127.0.0.1:{port}"\n'
    )
    url = f"http://127.0.0.1:{port}"
    with running("influxd", "-config", str(tmp_path / "config")):
        until(lambda: asked(f"{url}/query", q="SHOW DATABASES"))
        urllib.request.urlopen(urllib.request.Request(f"{url}/query?q=CREATE+DATABASE+n", b"", method="POST"))
        with begun(tmp_path / "w") as history:
            for n, capture in enumerate((good.before, good.after)):
                added(history, capture, MONDAY.replace(hour=2 + n))
        status, out, _ = here("metrics", tmp_path / "w", "--send", f"{url}/write?db=n")
        assert (status, out.strip()) == (0, "2 moments sent, 0 left")
        assert here("metrics", tmp_path / "w", "--send", f"{url}/write?db=n")[1].strip() == "0 moments sent, 0 left"
        query = "SELECT in_octets, mtu, oper_status, device, \"name\" FROM interface WHERE time >= '{}'"
        at = good.after.ended.isoformat(timespec="milliseconds").replace("+00:00", "Z")
        found = asked(f"{url}/query", db="n", q=query.format(at))["results"][0]["series"][0]["values"]
        written = {(device, name): (octets, mtu, status) for _, octets, mtu, status, device, name in found}
        rows = good.after.records("interface").to_pylist()
        assert written == {
            (row["device"], row["name"]): (row["in_octets"], row["mtu"], row["oper_status"]) for row in rows
        }
        with pytest.raises(StoreError, match="404"):
            send(points(good.after), f"{url}/write?db=nowhere", LINES, lambda _: None)
        with pytest.raises(StoreError, match="400"):
            send([], f"{url}/write?db=n", Transport(lambda _: [b"this is no line\n"], {}, ""), lambda _: None)


@pytest.mark.skipif(shutil.which("prometheus") is None, reason="Prometheus is not installed")
def test_what_scrapes_has_the_numbers_of_the_records(good: Change, tmp_path: Path) -> None:
    found = server("127.0.0.1", 0, lambda: openmetrics(points(good.after)))
    threading.Thread(target=found.serve_forever, daemon=True).start()
    port = free_port()
    config = {
        "rule_files": [str(ALERTS)],
        "scrape_configs": [
            {
                "job_name": "nogging",
                "scrape_interval": "1s",
                "static_configs": [{"targets": [f"127.0.0.1:{found.server_port}"]}],
            }
        ],
    }
    (tmp_path / "config.yml").write_text(json.dumps(config))
    options = (
        f"--config.file={tmp_path}/config.yml",
        f"--storage.tsdb.path={tmp_path}/d",
        "--web.enable-remote-write-receiver",
    )
    try:
        with running("prometheus", *options, f"--web.listen-address=127.0.0.1:{port}"):

            def series(query: str) -> Callable[[], Any]:
                return lambda: asked(f"http://127.0.0.1:{port}/api/v1/query", query=query)["data"]["result"]

            mtu = until(series("nogging_interface_mtu"))
            rows = good.after.records("interface").to_pylist()
            assert {(one["metric"]["device"], one["metric"]["name"]): int(one["value"][1]) for one in mtu} == {
                (row["device"], row["name"]): row["mtu"] for row in rows
            }
            down = until(series('nogging_interface_admin_status{admin_status="down"}'))
            assert {(one["metric"]["device"], one["metric"]["name"]) for one in down} == {
                (row["device"], row["name"]) for row in rows if row["admin_status"] == "down"
            }
            assert until(series("count(nogging_neighbor_since_seconds)"))
            here_now = datetime.now(UTC)
            told = [replace(point, at=here_now, labels={**point.labels, "came": "by"}) for point in points(good.after)]
            send(told, f"http://127.0.0.1:{port}/api/v1/write", REMOTE)
            pushed = {
                (one["metric"]["device"], one["metric"]["name"]): int(one["value"][1])
                for one in until(series('nogging_interface_in_octets_total{came="by"}'))
            }
            assert pushed == {
                (one["device"], one["name"]): one["in_octets"] for one in rows if one["in_octets"] is not None
            }
            with pytest.raises(StoreError, match="404"):
                send(told, f"http://127.0.0.1:{port}/nowhere", REMOTE, lambda _: None)
            loaded = asked(f"http://127.0.0.1:{port}/api/v1/rules")["data"]["groups"][0]["rules"]
            assert len(loaded) == 6 and {one["health"] for one in loaded} <= {"ok", "unknown"}
    finally:
        found.shutdown()
        found.server_close()


def test_a_store_that_is_down_loses_nothing(build: Build, tmp_path: Path) -> None:
    with begun(tmp_path / "w") as history:
        for n in range(3):
            added(history, build(f"c{n}", texts(n)), MONDAY.replace(hour=n))
    waited: list[float] = []
    url = f"http://127.0.0.1:{free_port()}/write?db=n&p=secret"
    with pytest.raises(StoreError) as raised:
        send_new(history, url, wait=waited.append)
    assert "refused" in str(raised.value).lower() and "secret" not in str(raised.value) and waited == [1, 2]
    assert not (tmp_path / "w" / "sent.json").exists()
    status, _, said = here("metrics", tmp_path / "w", "--send", "file:///etc/passwd")
    assert status == 2 and "write where to send" in said
    assert here("metrics")[0] == 2 and here("metrics", tmp_path / "nowhere")[0] == 2
    assert here("metrics", tmp_path / "w", "--listen", "nowhere")[0] == 2


@given(
    labels=st.dictionaries(st.text("abcdefgh", min_size=1), st.text(min_size=1), max_size=3),
    value=st.one_of(st.integers(-(2**63), 2**63 - 1), st.floats(allow_nan=False, allow_infinity=False), st.text()),
)
def test_no_text_of_a_device_breaks_a_line(labels: dict[str, str], value: Any) -> None:
    """Whatever stands in a label or a word, each point is one line, and each series one line."""
    point = Point("interface", labels, {"mtu": value}, MONDAY)
    text = line_protocol([point])
    assert text.count("\n") == 1 + (value.count("\n") if isinstance(value, str) else 0) and text.startswith("interface")
    lines = openmetrics([point]).split("\n")
    assert (
        lines[-2:] == ["# EOF", ""] and len([line for line in lines if line.startswith("nogging_interface_mtu{")]) == 1
    )


def test_the_numbers_follow_from_the_natures(good: Change) -> None:
    told = list(points(good.after))
    neighbors = [one for one in told if one.kind == "neighbor" and "neighbor" in one.labels]
    assert {"settled", "state", "since", "protocol"} - neighbors[0].fields.keys() == {"protocol"}
    counts = {
        (one.labels["device"], one.labels.get("family")): one.fields["records"] for one in told if one.kind == "route"
    }
    rows = good.after.records("route").to_pylist()
    assert sum(counts.values()) == len(rows) and counts["mole-r1", "ipv4"] == sum(
        row["device"] == "mole-r1" and row["family"] == "ipv4" for row in rows
    )
    status, out, _ = here("metrics", good.after.folder)
    assert status == 0 and out.endswith("# EOF\n") and out.count("# TYPE nogging_interface_mtu gauge") == 1
    assert nogging.__version__ and here("metrics", "--alerts")[1].startswith("# Rules for alerts")
