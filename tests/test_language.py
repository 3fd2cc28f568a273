"""The language of expectations beyond a single file: inclusion, names, values by label, counts by group, listing."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import pytest

import nogging
from conftest import Build, Change
from nogging.captures.manifest import NOT_ANSWERED, CommandEntry
from nogging.errors import FileError
from nogging.judging.listing import listing
from nogging.judging.reuse import ready_files
from nogging.judging.verdict import Judgement, Verdict
from nogging.reading.reader import forget
from nogging.report.markdown import plain

LINKS = "show interface"


def interface(name: str, mtu: int, *addresses: str) -> str:
    lines = [f"Interface {name} is up, line protocol is up", f"  index 2 metric 0 mtu {mtu} speed 10000 "]
    return "\n".join([*lines, *(f"  inet {address}" for address in addresses)]) + "\n"


@pytest.fixture
def after(build: Build) -> nogging.open_capture:
    return build(
        "after",
        {
            "mole-r1": {LINKS: interface("eth1", 9000, "192.0.2.1/30") + interface("eth2", 1500, "192.0.2.9/30")},
            "gannet-r1": {LINKS: interface("eth1", 9000, "192.0.2.2/30")},
            "otter-r1": {LINKS: interface("eth1", 1500, "192.0.2.9/30")},
        },
    )


def judged(folder: Path, after: Any, **files: str) -> Judgement:
    for name, text in files.items():
        (folder / f"{name}.yaml").write_text(text)
    return nogging.check(folder / "main.yaml", after=after)


def verdicts(found: Judgement) -> dict[str, Verdict]:
    return {result.title: result.verdict for result in found.results}


def test_files_include_files_and_the_including_one_says_what_names_mean(tmp_path: Path, after: Any) -> None:
    spans = """
conditions: {spans: name = 'eth1', jumbo: mtu = value.span_mtu}
values: {span_mtu: [9000, {for: label.site = 'otter', value: 1500}]}
expect: [{title: spans, every: interface, where: spans, must: jumbo}]
"""
    found = judged(tmp_path, after, spans=spans, main="include: [spans.yaml]")
    assert verdicts(found) == {"spans": Verdict.PASS}
    main = "include: [spans.yaml]\nvalues: {span_mtu: 9000}\nexpect: [{title: own, some: interface, where: spans}]"
    found = judged(tmp_path, after, main=main)
    assert verdicts(found) == {"spans": Verdict.FAIL, "own": Verdict.PASS}
    (failure,) = found.results[0].failures
    assert (failure.device, failure.record["value.span_mtu"], failure.demanded) == (
        "otter-r1",
        9000,
        ("mtu = value.span_mtu",),
    )
    nobody = "values: {span_mtu: [{for: label.site = 'mole', value: 9000}]}"
    found = judged(tmp_path, after, main=f"include: [spans.yaml]\n{nobody}")
    assert found.verdict is Verdict.UNPROVEN, "a value that nothing gives is unknown"


@pytest.mark.parametrize(
    ("main", "told"),
    [
        ("include: [main.yaml]", "main.yaml:1:11: 'main.yaml' includes this file"),
        ("include: [ready/linsk.yaml]", "did you mean 'ready/links.yaml'"),
        ("conditions: {a: b, b: a}\nexpect: [{some: interface, where: a}]", "'a' is said by itself: a → b → a"),
        ("conditions: {mtu: 'true'}\nexpect: [{some: interface}]", "'mtu' is a field"),
        ("values: {m: [1, 'x']}\nexpect: [{some: interface}]", "1:13: values of one name are of one sort"),
        ("values: {m: [{for: label.sit = 'x', value: 1}]}\nexpect: [{some: interface}]", "did you mean 'site'"),
        ("values: {up: upp}\nexpect: [{some: interface, where: oper_status = value.up}]", "never 'upp'"),
        ("conditions: {up: oper_stats = 'up'}\nexpect: [{some: interface, where: up}]", "1:18: unknown field"),
        ("values: {m: 1}\nexpect: [{some: interface, where: mtu = value.n}]", "unknown value 'value.n'"),
        ("expect: [{count: interface, per: sites, must: n = 1}]", "unknown field 'sites'"),
        ("expect: [{every: interface, per: device, must: mtu = 1}]", "go with 'count'"),
        ("expect: [{joined: {from: label.site = 3, to: mole-r1}}]", "cannot be compared"),
    ],
)
def test_mistakes_in_what_is_shared(tmp_path: Path, after: Any, main: str, told: str) -> None:
    with pytest.raises(FileError) as error:
        judged(tmp_path, after, main=main)
    assert told in str(error.value)


def test_counting_by_group(tmp_path: Path, after: Any, build: Build) -> None:
    counted = """
expect:
  - {title: ports, count: interface, per: device, where: mtu = 9000, must: n >= 1}
  - {title: addresses, count: address, of: device, per: ip, must: n = 1}
  - {title: sites, count: interface, per: label.site, of: mtu, must: n <= 2}
"""
    found = judged(tmp_path, after, main=counted)
    assert verdicts(found) == {"ports": Verdict.FAIL, "addresses": Verdict.FAIL, "sites": Verdict.PASS}
    ports, addresses, _ = found.results
    assert [(failure.device, failure.record["n"]) for failure in ports.failures] == [("otter-r1", 0)], (
        "none is counted as well"
    )
    (twice,) = addresses.failures
    assert twice.name == "ip 192.0.2.9" and {line.device for line in twice.evidence} == {"mole-r1", "otter-r1"}
    same = {LINKS: interface("eth1", 9000, "192.0.2.1/30")}
    silent = {LINKS: CommandEntry(NOT_ANSWERED, "silence")}
    lame = build("lame", {"mole-r1": same, "otter-r1": same, "gannet-r1": silent})
    found = judged(
        tmp_path,
        lame,
        main=counted.replace("  - {title: sites, count: interface, per: label.site, of: mtu, must: n <= 2}\n", ""),
    )
    assert verdicts(found) == {"ports": Verdict.UNPROVEN, "addresses": Verdict.FAIL}
    assert [one.device for one in found.results[0].unproven] == ["gannet-r1"], "twice stays twice, whatever is hidden"


def test_who_is_joined_to_whom(good: Change, build: Build, tmp_path: Path) -> None:
    def judge(entry: str) -> tuple[Verdict, str]:
        (result,) = judged(tmp_path, good.after, main=f"expect: [{{joined: {{{entry}}}}}]").results
        return result.verdict, result.reason

    assert judge("from: edge-r1, to: label.tier = 'core', by: protocol = 'bgp' and settled") == (
        Verdict.PASS,
        "2 joined",
    )
    assert judge("from: label.tier = 'terminal', to: label.tier = 'core'")[0] is Verdict.FAIL
    assert judge("from: edge-r1, to: mole-r1, by: protocol = 'bgp' and area_id = '0.0.0.0'")[0] is Verdict.UNPROVEN
    assert judge("from: label.site = 'nowhere', to: mole-r1")[1].startswith("no devices match")
    silent = {LINKS: CommandEntry(NOT_ANSWERED, "silence")}
    lame = build("lame", {"mole-r1": silent, "edge-r1": silent})
    found = judged(tmp_path, lame, main="expect: [{joined: {from: edge-r1, to: mole-r1}}]")
    assert found.verdict is Verdict.UNPROVEN and not found.results[0].failures


def test_what_comes_ready_holds_on_the_good_change_and_lists_what_it_asks(
    good: Change, bad: Change, tmp_path: Path
) -> None:
    asked = [
        file
        for file in ready_files()
        if not {
            "summaries",
            "labels",
            "optics",
            "resources",
            "pairs",
            "alarms",
            "announcements",
            "paths",
            "forwarding",
            "access",
            "multicast",
            "hosts",
            "tunnels",
            "configurations",
        }
        & {Path(file).stem}
    ]  # these a capture asks for where it is told to
    main = f"include: [{', '.join(asked)}]\n" + (
        "conditions: {lower: device = 'edge-r1', upper: label.tier = 'core', "
        "meant_to_be_down: \"device in ('gannet-r1', 'mole-r1') and interface = 'eth3'\", "
        "keeps_time: \"device in ('mole-r2', 'mole-sw1')\", has_aggregates: \"device = 'mole-sw1'\", has_overlays: \"device = 'mole-r1'\", has_trees: \"device = 'mole-sw1'\", has_hardware: \"device = 'mole-sw1'\"}\n"
    )
    (tmp_path / "main.yaml").write_text(main)
    found = nogging.check(tmp_path / "main.yaml", after=good.after, before=good.before)
    assert found.verdict is Verdict.PASS and len(found.results) == 35
    forget()  # readers that are loaded anew are those that the capture was opened with
    assert nogging.check(tmp_path / "main.yaml", after=good.after, before=good.before).verdict is Verdict.PASS
    ill = nogging.check(tmp_path / "main.yaml", after=bad.after, before=bad.before)
    failed = {result.title for result in ill.results if result.verdict is Verdict.FAIL}
    assert {"Both ends of a link have the same MTU", "Every neighbor is settled"} <= failed
    asked = listing(tmp_path / "main.yaml", of=good.after)
    again = nogging.check(tmp_path / "main.yaml", after=good.after, before=good.before)
    assert again.verdict is Verdict.PASS, "to list what is asked of a capture leaves it as it was"
    joined = next(
        expectation for expectation in asked.expectations if expectation.title.startswith("Every lower device")
    )
    assert joined.words == "joined: edge-r1 to mole-r1; edge-r1 to mole-r2"
    inventory = good.after.folder.parent / "inventory.yaml"
    command = [
        sys.executable,
        "-m",
        "nogging",
        "check",
        str(tmp_path / "main.yaml"),
        "--list",
        "--inventory",
        str(inventory),
    ]
    told = subprocess.run(command, capture_output=True, text=True, check=False)
    assert told.returncode == 0 and "count different os_release of system per os_name: must n = 1" in told.stdout
    assert "on all 8 devices" in told.stdout and max(map(len, told.stdout.splitlines())) <= 80


def test_reports_for_a_ticket_and_a_pipeline(bad: Change, tmp_path: Path) -> None:
    command = [sys.executable, "-m", "nogging", "check", str(bad.expectations), "--after", str(bad.after.folder)]
    command += ["--before", str(bad.before.folder), "--format"]
    page = subprocess.run([*command, "markdown"], capture_output=True, text=True, check=False)
    assert page.returncode == 1 and page.stdout.startswith("## FAIL: Gannet Point moves to the fibre span")
    assert "Look first: **interface GigabitEthernet0/4 on mole-r2: mtu is 1500; expected mtu = 9000**" in page.stdout
    assert page.stdout.count("```") % 2 == 0 and "  165 >   MTU 1500 bytes" in page.stdout
    assert plain("a|b *c* <d> `e`\x1b[7m") == r"a\|b \*c\* \<d\> \`e\`\\x1b\[7m"
    suite = ElementTree.fromstring(
        subprocess.run([*command, "junit"], capture_output=True, text=True, check=False).stdout
    )
    assert (suite.get("failures"), suite.get("errors")) == ("5", "0") and int(suite.get("tests") or 0) == len(suite)
    failed = {case.get("name"): failure.get("message") for case in suite for failure in case.findall("failure")}
    assert failed["Every adjacency is up"] == "2 of 16 fail" and "nothing else changed" in failed


def test_queries_over_a_capture(good: Change) -> None:
    sql = "select tier, count(*) as n from neighbor join device using (device) where protocol = 'ospf' group by tier order by tier"
    assert nogging.query(sql, good.after).to_pylist()[0] == {"tier": "core", "n": 7}
    assert nogging.query("select * from link where within('192.0.2.1', '192.0.2.0/24')", good.after).num_rows == 22
    for refused in ("select * from read_csv('/etc/hosts')", "copy (select 1) to 'x.csv'", "selec", "select 1 a, 2 a"):
        with pytest.raises(nogging.NoggingError):
            nogging.query(refused, good.after)
