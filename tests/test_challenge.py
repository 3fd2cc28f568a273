"""Challenging expectations: what it says of a fault is what `check` says of a capture that has it."""

from __future__ import annotations

import copy
import json
import random
import subprocess
import sys
from pathlib import Path
from typing import Any

import pyarrow as pa

import nogging
from conftest import Change as Demo
from nogging.captures.capture import Capture
from nogging.judging.challenge import DIFFERENCE, challenge
from nogging.judging.faults import Fault
from nogging.judging.verdict import Verdict
from nogging.records import KINDS
from nogging.records.tables import table

EXPECTATIONS = """\
title: Everything is as it was
conditions: {sessions: protocol = 'bgp' and settled}
values:
  least: [2, {for: "label.tier in ('transit', 'distribution')", value: 0}, {for: label.tier = 'terminal', value: 1}]
expect:
  - {title: settled, every: neighbor, where: before.settled, must: settled}
  - {title: sessions, count: neighbor, where: protocol = 'bgp' and settled, must: n >= before.n}
  - {title: default, some: route, where: device = 'otter-r1' and destination_prefix = '0.0.0.0/0'}
  - {title: both ends, every: interface, where: peer.name is not null, must: mtu = peer.mtu}
  - {title: no errors, none: interface, where: in_errors is not null and in_errors > 50000}
  - {title: routes, count: route, where: device = 'gannet-r1', must: n = before.n and hops >= before.hops}
  - {title: way, path: {from: gannet-r1, to: mole-r1, both_ways: true}}
  - {title: versions, count: system, of: os_release, per: os_name, must: n = 1}
  - {title: neighbors, count: neighbor, per: device, where: protocol = 'ospf' and settled, must: n >= value.least}
  - {title: addresses, count: address, per: ip, where: "not within(ip, 'fe80::/10')", must: n = 1}
  - {title: sessions at both ends, joined: {from: label.tier = 'transit', to: label.tier = 'core', by: sessions}}
  - {title: hosts, exactly: system, rows: {capture: AFTER, fields: [device, os_release]}}
"""


def with_fault(capture: Capture, fault: Fault) -> Capture:
    """The capture as the fault leaves it, made the plain way."""
    broken = copy.copy(capture)
    tables = {kind: capture.records(kind) for kind in (*KINDS, "unread")}
    for change in fault.changes:
        rows: list[dict[str, Any]] = []
        for row in tables[change.kind].to_pylist():
            hit = all(row[name] == value for name, value in change.match.items())
            rows += [row] if not hit else ([{**row, **change.fields}] if change.fields is not None else [])
        tables[change.kind] = pa.Table.from_pylist(rows, table(KINDS[change.kind], []).schema)
    broken.__dict__["_tables"] = tables
    return broken


def test_each_fault_is_noticed_as_check_notices_it(good: Demo, tmp_path: Path) -> None:
    path = tmp_path / "expectations.yaml"
    path.write_text(EXPECTATIONS.replace("AFTER", str(good.after.folder)))
    found = challenge(path, after=good.after)
    assert found.verdict is Verdict.PASS and found.own_before and len(found.tried) > 500
    chance = random.Random(7)
    some = [one for one in found.tried if one.by]
    for one in (*chance.sample(some, 12), *chance.sample(found.holes, 8)):
        judged = nogging.check(path, after=with_fault(good.after, one.fault), before=good.after)
        said = {result.title for result in judged.results if result.verdict is not Verdict.PASS}
        assert set(one.by) == said, one.fault.title
    sorts = {one.fault.sort for one in some}
    assert {"interface down", "neighbor lost", "neighbor stuck", "mtu", "version", "route lost"} <= sorts
    path.write_text(
        path.read_text() + "\n".join(f"  {line}" for one in found.closing for line in one.split("\n")) + "\n"
    )
    assert not challenge(path, after=good.after).holes, "what it proposes closes every hole"


def test_a_difference_that_nothing_explains_notices_what_expectations_do_not(good: Demo) -> None:
    found = challenge(good.expectations, after=good.after, before=good.before)
    assert found.verdict is Verdict.PASS and not found.own_before
    lost = [one for one in found.tried if one.fault.sort == "setting gone"]
    assert lost and all(one.by == (DIFFERENCE,) for one in lost)
    assert all(one.by for one in found.tried if one.fault.sort == "neighbor stuck")
    command = [sys.executable, "-m", "nogging", "challenge", str(good.expectations), "--after", str(good.after.folder),
               "--before", str(good.before.folder)]  # fmt: skip
    done = subprocess.run([*command, "--format", "json"], capture_output=True, text=True, check=False)
    told = json.loads(done.stdout)
    assert done.returncode == 1 and told["let_through"] == sum(not one["noticed"] for one in told["faults"]) > 0
    page = subprocess.run(command, capture_output=True, text=True, check=False).stdout
    assert "to close the holes" in page and max(map(len, page.splitlines())) <= 80
