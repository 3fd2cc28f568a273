"""Questions before any judgement, held against the same counted by hand."""

from __future__ import annotations

import json
import shlex
import shutil
from collections import Counter, defaultdict
from pathlib import Path
from statistics import median
from typing import Any

import pytest

import nogging
from conftest import Build, Change, here
from nogging.asking.about import about
from nogging.asking.moments import moments
from nogging.asking.questions import Question, ask
from nogging.captures.capture import Capture
from nogging.captures.manifest import NOT_ANSWERED, CommandEntry
from nogging.errors import QuestionError
from nogging.judging.select import select
from nogging.judging.verdict import by_themselves
from nogging.predicates import parse
from nogging.records import KINDS, Kind
from nogging.report.page import PageSubject, page
from nogging.standin import served


def told(*arguments: Any, status: int = 0) -> str:
    ended, text, complaints = here(*arguments)
    assert ended == status, complaints
    return text


def rows(capture: Capture, kind: str) -> list[dict[str, Any]]:
    return capture.records(kind).to_pylist()


def test_what_is_there_and_what_is_not_well(bad: Change) -> None:
    found = about(bad.before, bad.after)
    before, after = found.whole
    assert before.not_well == [] and (before.lacking, before.unread.total()) == ([], 0)
    down = [row for row in rows(bad.after, "interface") if row["admin_status"] == "up" and row["oper_status"] == "down"]
    unsettled = [row for row in rows(bad.after, "neighbor") if not row["settled"]]
    kinds = ["interface"] * len(down) + ["neighbor"] * len(unsettled)
    assert down and unsettled and [one.kind for one in after.not_well] == kinds
    keys = [(one.device, one.record.get("name"), one.record.get("neighbor")) for one in after.not_well]
    assert sorted(keys, key=str) == sorted(
        ((row["device"], row.get("name"), row.get("neighbor")) for row in (*down, *unsettled)), key=str
    )
    routes = {tuple(row[name] for name in KINDS["route"].keys) for row in rows(bad.after, "route")}
    counted = {kind: bad.after.count(kind) for kind in KINDS if bad.after.count(kind)}
    assert after.records == {**counted, "route": len(routes)} and len(routes) < counted["route"]
    text = told("about", bad.before.folder, bad.after.folder)
    assert f"look first: {after.not_well[0].device}  interface {after.not_well[0].record['name']}" in text
    parts = json.loads(told("about", bad.after.folder, "--by", "label.site", "--format", "json"))
    sites = {name: one.labels["site"] for name, one in bad.after.devices.items()}
    assert {part["value"]: part["devices"] for part in parts} == {
        site: [name for name in sites if sites[name] == site] for site in sorted(set(sites.values()))
    }
    assert sum(len(one["not_well"]) for one in parts) == len(after.not_well)
    with pytest.raises(QuestionError, match="did you mean 'site'"):
        about(bad.after, by="label.sites")


def test_what_was_not_captured_or_read_is_told(build: Build) -> None:
    route = "O>* 192.0.2.0/24 [110/20] via 198.51.100.2, eth1, 02w2d05h\nwhat is this\n"
    failed = CommandEntry(NOT_ANSWERED, "no answer within 30 s", "2026-11-23T02:00:00+00:00")
    capture = build("one", {"a-r1": {"show ip route": route, "show bgp summary": failed, "show nothing known": "x\n"}})
    whole = about(capture).whole[0]
    assert whole.unread == {("frr", "show ip route"): 1} and whole.records["route"] == 1
    text = told("about", capture.folder)
    assert "frr 'show ip route': 1 line" in text and "'show bgp summary' not answered: a-r1" in text
    assert "frr 'show nothing known': no reader knows it (1 answer)" in text


def test_counted_by_hand(bad: Change) -> None:
    listed = rows(bad.after, "neighbor")
    found = ask(Question("neighbor", count_by=["protocol", "state"]), bad.after)
    assert {(row["protocol"], row["state"]): row["n"] for row in found.rows} == Counter(
        (row["protocol"], row["state"]) for row in listed
    )
    routes = ask(Question("route", count_by=["source_protocol"], where="label.site = 'mole'"), bad.after).rows
    mole = [row for row in rows(bad.after, "route") if bad.after.devices[row["device"]].labels["site"] == "mole"]
    keys = {tuple(row[name] for name in KINDS["route"].keys) for row in mole}
    assert sum(row["n"] for row in routes) == len(keys) < sum(row["hops"] for row in routes) == len(mole)
    both = ask(Question("route", count_by=["device"]), bad.before, bad.after).rows
    assert {row["device"]: row["after"] for row in both}["gannet-r1"] < {row["device"]: row["before"] for row in both}[
        "gannet-r1"
    ]
    settled, not_settled = (ask(Question("neighbor", settled=one), bad.after).rows for one in (True, False))
    assert len(settled) + len(not_settled) == len(listed) and not any(row["settled"] for row in not_settled)


def test_who_says_the_same_and_who_says_nothing(bad: Change) -> None:
    groups = ask(Question("component", alike=["model_name"]), bad.after).rows
    says = defaultdict(set)
    for row in rows(bad.after, "component"):
        says[row["model_name"]].add(row["device"])
    silent = set(bad.after.devices) - set().union(*says.values())
    assert silent and {row["model_name"]: set(row["names"].split()) for row in groups} == {**says, None: silent}
    assert [row["devices"] for row in groups] == sorted(row["devices"] for row in groups)


def test_figures_sorted_and_at_most_so_many(bad: Change) -> None:
    mtus = [row["mtu"] for row in rows(bad.after, "interface") if row["mtu"] is not None]
    (found,) = ask(Question("interface", figures=["mtu"]), bad.after).rows
    assert found == {
        "field": "mtu",
        "said": len(mtus),
        "least": min(mtus),
        "median": median(mtus),
        "most": max(mtus),
        "total": sum(mtus),
    }
    most = ask(Question("interface", fields=["device", "in_octets"], sort=["-in_octets"], top=3), bad.after).rows
    assert [row["in_octets"] for row in most] == sorted(
        (row["in_octets"] or 0 for row in rows(bad.after, "interface")), reverse=True
    )[:3]
    for wrong in (
        Question("interface", sort=["mtuu"]),
        Question("interface", figures=["name"]),
        Question("route", settled=True),
        Question("route", top=0),
    ):
        with pytest.raises(QuestionError):
            ask(wrong, bad.after)


def test_without_what_another_capture_has(bad: Change) -> None:
    def prefixes(capture: Capture) -> set[tuple[str, str]]:
        return {(row["device"], row["destination_prefix"]) for row in rows(capture, "route")}

    gone = ask(Question("route", fields=["device", "destination_prefix"], minus=bad.after), bad.before).rows
    assert (
        {(row["device"], row["destination_prefix"]) for row in gone}
        == prefixes(bad.before) - prefixes(bad.after)
        != set()
    )
    identical = ask(Question("route", minus=bad.after), bad.after)
    assert identical.rows == []


QUESTIONS = (
    ("neighbor", "--count-by", "protocol,state"),
    ("route", "--where", "label.tier = 'core' and source_protocol in ('ospf', 'bgp')", "--count-by", "device"),
    ("system", "--alike", "os_release"),
    ("interface", "--figures", "mtu,ospf_cost", "--count-by", "device"),
    ("interface", "--sort", "-in_octets,name", "--top", "4", "--fields", "device,name,type"),
    ("neighbor", "--not-settled"),
)  # fmt: skip


@pytest.mark.parametrize("question", QUESTIONS, ids=lambda one: " ".join(one))
def test_the_sql_that_is_shown_gives_the_same(bad: Change, question: tuple[str, ...]) -> None:
    kind, *options = question
    captures = [bad.before.folder, bad.after.folder] if "--fields" not in options else [bad.after.folder]
    text = told("records", kind, *captures, *options)
    program, command, sql, *folders = shlex.split(text.splitlines()[-1].removeprefix("in SQL: "))
    assert (program, command, folders) == ("nogging", "query", [str(capture) for capture in captures])
    asked = json.loads(told("records", kind, *captures, *options, "--format", "json"))
    assert asked and json.loads(told("query", sql, *folders, "--format", "json")) == asked
    assert nogging.query(sql, *folders).num_rows == len(asked)


def test_a_table_tells_first_what_differs(bad: Change) -> None:
    lines = told("records", "neighbor", bad.after.folder, "--where", "protocol = 'ospf'").splitlines()
    assert lines[0].split()[:4] == ["device", "vrf", "interface", "neighbor"] and "same in all:" in lines[-1]
    assert "protocol ospf" in lines[-1] and "area_id 0.0.0.0" in lines[-1] and "protocol" not in lines[0]


def test_the_library_as_it_is_guessed(bad: Change) -> None:
    assert {"Capture", "Judgement", "Verdict", "Comparison", "KINDS", "compare", "about"} <= set(dir(nogging))
    capture = nogging.Capture(bad.after.folder)
    assert (
        capture["route"].equals(capture.records("route")) and "event" not in capture.kinds and "route" in capture.kinds
    )
    where = "label.site = 'mole' and (source_protocol = 'ospf' or within(destination_prefix, '192.0.2.0/24'))"
    wanted = select(capture, "route", where)[0]
    assert 0 < len(wanted) < capture.count("route")
    by = ("device", "destination_prefix", "source_protocol", "next_hop_address")
    found = capture.records("route", where=where).to_pylist()
    assert sorted(str([row[one] for one in by]) for row in found) == sorted(
        str([row[one] for one in by]) for row in wanted
    )
    compared = nogging.compare(bad.before, capture)
    judged = nogging.check(bad.expectations, after=capture, before=bad.before)
    for neither in (compared, judged):
        with pytest.raises(TypeError, match="neither true nor false"):
            bool(neither)
    assert {failure.device for failure in judged.failures} >= {"gannet-r1", "mole-r2"}
    assert repr(judged).startswith("<Judgement fail: ") and repr(capture).startswith(
        f"<Capture {capture.folder}: 8 devices"
    )
    assert len(compared.to_pandas()) == len(compared.differences)
    left = judged.to_pandas()
    assert len(left[left.expectation == "nothing else happens"]) == len(judged.unexplained) and "pass" not in set(
        left.verdict
    )
    assert "<td>gannet-r1</td>" in judged._repr_html_() and "<table>" in capture._repr_html_()
    with pytest.raises(QuestionError, match="at character 1"):
        capture.records("route", where="nope = 1")


def test_nothing_in_a_record_is_html(build: Build) -> None:
    text = "Interface eth1 is up, line protocol is up\n  index 2 metric 0 mtu {} speed 1000\n  Description: <script>x</script>\n"
    sides = [build(name, {"a-r1": {"show interface": text.format(mtu)}}) for name, mtu in (("b", 1500), ("<i>a", 9000))]
    assert "<script>" not in nogging.compare(*sides)._repr_html_() and "<i>" not in sides[1]._repr_html_()


LOG = Path(nogging.__file__).parent / "reading/library/ios/log.answer"


def test_what_happened_in_order_by_one_clock(bad: Change, tmp_path: Path) -> None:
    told_of = {(moment.device, moment.what) for moment in moments(bad.before, bad.after)}
    up = {
        ("gannet-r1", "interface eth4: up (last_change)"),
        ("gannet-r1", "neighbor ospf eth4 192.0.2.12: exchange (since)"),
    }
    assert up <= told_of and not any("lldp" in what for device, what in told_of if device == "skerry-r1")
    (tmp_path / "saved" / "mole-r2").mkdir(parents=True)
    shutil.copy(LOG, tmp_path / "saved" / "mole-r2" / "show_logging.txt")
    capture = nogging.ingest(tmp_path / "saved", tmp_path / "logs", dialect="ios")
    known = [row for row in rows(capture, "event") if row["at"] is not None]
    found = moments(capture, since=min(row["at"] for row in known))
    assert len(found) == len(known) > 2 and found == sorted(found, key=lambda one: one.at)
    assert told("moments", capture.folder, "--since", "1s").startswith("nothing that happened")
    listed = told("moments", bad.before.folder, bad.after.folder).splitlines()
    times = [line[:8] for line in listed if line[2:3] == ":"]
    assert times == sorted(times) and any("eth4: up" in line for line in listed)


def test_prefixes_of_who_was_cut_off_are_told_with_what_cut_it_off(tmp_path: Path) -> None:
    with served(tmp_path / "net") as net:
        inventory = nogging.load_inventory(net.inventory)
        before = nogging.capture(inventory, to=tmp_path / "before")
        net.network.unplug("otter-r1", "eth1")
        net.network.unplug("otter-r1", "eth2")
        after = nogging.capture(inventory, to=tmp_path / "after")
    found = nogging.compare(before, after)
    assert [one.difference.kind for one in found.causes] == ["interface", "interface"]
    alone = {
        (difference.device, difference.kind, difference.what)
        for difference in by_themselves(found.differences, found.causes)
    }
    assert alone == {("otter-r1", "interface", "restarted")} and len(found.differences) > 70
    why = {why for cause in found.causes for other, why in cause.following if other.device == "gannet-r1"}
    assert "leads to otter-r1, which lost its last ospf neighbor" in why

    # an owner that is still joined by something could still tell of it: that it does not has another reason
    kept = after.with_records({"neighbor": before.records("neighbor")})
    routes = [one for one in nogging.compare(before, kept).causes if one.difference.kind == "interface"]
    told_so = {
        other.key.get("destination_prefix")
        for route in routes
        for other, _ in route.following
        if other.device == "gannet-r1"
    }
    assert "198.51.100.8/30" in told_so and "203.0.113.40/29" not in told_so


def test_what_brought_others_along_is_told_first_and_nothing_is_lost(bad: Change, good: Change) -> None:
    found = nogging.compare(bad.before, bad.after)
    first = found.causes[0]
    assert first.difference.key == {"device": "gannet-r1", "name": "eth3"} and "admin_status" in first.difference.fields
    following = {(one.device, one.kind) for one, _ in first.following}
    assert {("mole-r1", "interface"), ("gannet-r1", "neighbor"), ("gannet-r1", "route")} <= following
    alone = by_themselves(found.differences, found.causes)
    assert len(alone) + sum(1 + len(cause.following) for cause in found.causes) == len(found.differences)
    text = told("compare", bad.before.folder, bad.after.folder, status=1)
    assert (
        text.index("what others follow from")
        < text.index("gannet-r1: interface eth3: admin_status up → down")
        < text.index("on 3 devices or more")
    )
    assert nogging.compare(good.before, good.before).causes == ()
    judged = json.loads(
        told(
            "check",
            bad.expectations,
            "--before",
            bad.before.folder,
            "--after",
            bad.after.folder,
            "--format",
            "json",
            status=1,
        )
    )
    assert len(judged["causes"]) == len(nogging.check(bad.expectations, after=bad.after, before=bad.before).causes)
    assert '<details class="cause">' in page(PageSubject("x", bad.after, bad.before))


def test_in_plain_words_with_where_it_is_said(bad: Change, good: Change, build: Build) -> None:
    found = nogging.tell(bad.before, bad.after, expectations=bad.expectations)
    texts = [one.text for one in found]
    judged = nogging.check(bad.expectations, after=bad.after, before=bad.before)
    assert (
        texts[0].startswith("The change fails: ")
        and f"{len(judged.unexplained)} differences nobody expected" in texts[0]
    )
    first = nogging.compare(bad.before, bad.after).causes[0]
    (cause,) = (one for one in found if "gannet-r1's interface eth3 changed (admin_status from up to down" in one.text)
    assert cause.text.split()[0] in ("Most", str(len(first.following) + 1)) and not cause.detail
    when, device, *command, lines = cause.evidence[0].replace("'", "").split()
    assert (when, device) == ("before:", "gannet-r1")
    begins = int(lines.partition("-")[0])
    assert "eth3" in bad.before.answer(device, " ".join(command)).split("\n")[begins - 1]
    assert any("mole-r2: its ospf neighbor 192.0.2.13 is in state" in text for text in texts)
    quiet = [one.text for one in nogging.tell(good.before, good.before)]
    assert "Nothing changed between them." in quiet and quiet[-1] == "All that was read is well."
    broken = build("odd", {"a-r1": {"show ip route": "what is this\n"}})
    assert nogging.tell(broken)[-1].text == "1 line could not be read: of that nothing is known."
    assert told("tell", bad.after.folder, "--short").count("bad") == 0


@pytest.mark.parametrize("kind", [kind for kind in KINDS.values() if kind.not_well], ids=lambda kind: str(kind.name))
def test_what_is_not_well_can_be_said(kind: Kind) -> None:
    assert kind.said_of_it.format(**dict.fromkeys(kind.fields, "x"))
    assert parse(kind.not_well, {(name,): field for name, field in kind.fields.items()}).fields
