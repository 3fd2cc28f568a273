"""Challenging expectations: what it says of a fault is what `check` says of a capture that has it."""

from __future__ import annotations

import json
import random
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pyarrow as pa

import nogging
from conftest import Change as Demo
from nogging.captures.capture import Capture
from nogging.judging.challenge import DIFFERENCE, challenge
from nogging.judging.faults import Fault
from nogging.judging.verdict import Verdict
from nogging.records import KINDS, Nature
from nogging.records.tables import table
from nogging.standin import served
from nogging.standin.model import Network

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
    tables = {kind: capture.records(kind) for kind in (*KINDS, "unread")}
    for change in fault.changes:
        rows: list[dict[str, Any]] = []
        for row in tables[change.kind].to_pylist():
            hit = all(row[name] == value for name, value in change.match.items())
            rows += [row] if not hit else ([{**row, **change.fields}] if change.fields is not None else [])
        tables[change.kind] = pa.Table.from_pylist(rows, table(KINDS[change.kind], []).schema)
    return capture.with_records(tables)


def test_each_fault_is_noticed_as_check_notices_it(good: Demo, tmp_path: Path) -> None:
    path = tmp_path / "expectations.yaml"
    path.write_text(EXPECTATIONS.replace("AFTER", str(good.after.folder)))
    found = challenge(path, after=good.after)
    assert found.verdict is Verdict.PASS and found.own_before and len(found.tried) > 500
    chance = random.Random(7)
    some = [one for one in found.tried if one.by]
    for one in (*chance.sample(some, 5), *chance.sample(found.holes, 3)):
        judged = nogging.check(path, after=with_fault(good.after, one.fault), before=good.after)
        said = {result.title for result in judged.results if result.verdict is not Verdict.PASS}
        assert set(one.by) == said, one.fault.title
    sorts = {one.fault.sort for one in some}
    assert {"interface oper_status changed", "neighbor gone", "interface mtu not told", "route gone"} <= sorts
    tried = {(one.fault.kind, one.fault.field) for one in found.tried}
    told = {
        (name, field)
        for name, kind in KINDS.items()
        for field in [*kind.named(Nature.STATE), *kind.named(Nature.GAUGE), *kind.named(Nature.COUNTER)]
        if kind.compared
        and not kind.fields[field].follows_from
        and any(good.after.records(name).column(field).to_pylist())
    }
    assert told <= tried, "no kind and no field that was told is forgotten"
    path.write_text(
        path.read_text() + "\n".join(f"  {line}" for one in found.closing for line in one.split("\n")) + "\n"
    )
    assert not challenge(path, after=good.after).holes, "what it proposes closes every hole"


def test_a_difference_that_nothing_explains_notices_what_expectations_do_not(good: Demo) -> None:
    found = challenge(good.expectations, after=good.after, before=good.before)
    assert found.verdict is Verdict.PASS and not found.own_before
    lost = [one for one in found.tried if one.fault.sort == "setting gone"]
    assert lost and all(one.by == (DIFFERENCE,) for one in lost)
    assert all(one.by for one in found.tried if one.fault.sort == "neighbor state changed")
    command = [sys.executable, "-m", "nogging", "challenge", str(good.expectations), "--after", str(good.after.folder),
               "--before", str(good.before.folder)]  # fmt: skip
    done = subprocess.run([*command, "--format", "json"], capture_output=True, text=True, check=False)
    told = json.loads(done.stdout)
    assert done.returncode == 1 and told["let_through"] == sum(not one["noticed"] for one in told["faults"]) > 0
    page = subprocess.run(command, capture_output=True, text=True, check=False).stdout
    assert "to close all of them at once" in page and max(map(len, page.splitlines())) <= 80


INJECTED = """\
expect:
  - {title: settled, every: neighbor, where: "before.settled and protocol in ('ospf', 'bgp')", must: settled}
  - {title: both ends, every: interface, where: peer.name is not null, must: mtu = peer.mtu}
  - {title: one release, count: system, of: os_release, per: os_name, must: n = 1}
"""


def test_what_it_says_is_what_the_fault_does_when_it_is_really_injected(tmp_path: Path) -> None:
    """Some ports of the stand-in network unplugged, or given another MTU, and every device another release."""
    path = tmp_path / "expectations.yaml"
    path.write_text(INJECTED)
    with served(tmp_path) as sound:
        inventory, network = nogging.load_inventory(sound.inventory), sound.network
        good = nogging.capture(inventory, to=tmp_path / "good", kinds=["system", "interface", "address", "neighbor"])
        said = {
            (one.fault.sort, *one.fault.changes[0].match.values()): one for one in challenge(path, after=good).tried
        }
        told = noticed = 0
        for sort, device, port in _targets(network):
            one = said.get((sort, device, port) if port else (sort, device))
            if one is None:
                continue
            undo = _injected(network, sort, device, port)
            after = nogging.capture(
                inventory, to=tmp_path / "after", kinds=["system", "interface", "address", "neighbor"]
            )
            undo()
            found = nogging.check(path, after=after, before=good).verdict
            if one.by:
                assert found is Verdict.FAIL, one.fault.title
            elif not one.fault.cannot_tell:
                assert found is Verdict.PASS, one.fault.title
            told += bool(one.by) or not one.fault.cannot_tell
            noticed += bool(one.by)
    assert noticed > 10 and told > 15


def _targets(network: Network) -> list[tuple[str, str, str]]:
    ports = [
        (device, port) for device, one in network.devices.items() for port, its in one.interfaces.items() if its.up
    ]
    found = [
        (sort, *end)
        for sort in ("interface oper_status changed", "interface mtu changed")
        for end in ports
        if not network.devices[end[0]].interfaces[end[1]].loopback
    ]
    return found[::3] + [("system os_release changed", device, "") for device in network.devices]


def _injected(network: Network, sort: str, device: str, port: str) -> Callable[[], object]:
    """Breaks the network, and gives what mends it."""
    one = network.devices[device]
    if sort == "interface oper_status changed":
        network.unplug(device, port)
        return lambda: network.plug(device, port)
    holder, name, value = (
        (one, "release", "9.9.9") if sort == "system os_release changed" else (one.interfaces[port], "mtu", 1400)
    )
    was = getattr(holder, name)

    def given(to: Any) -> None:
        setattr(holder, name, to)
        network.settle()

    given(value)
    return lambda: given(was)
