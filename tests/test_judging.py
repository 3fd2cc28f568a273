"""Judging: three values, the ways to have no evidence, and differences by nature."""

from __future__ import annotations

import copy
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import nogging
from conftest import Build, Change
from nogging.captures.capture import Capture
from nogging.captures.manifest import NOT_ANSWERED, NOT_SUPPORTED, PARTIAL, CommandEntry
from nogging.errors import FileError, QuestionError
from nogging.judging.verdict import Difference, Judgement, Result, Verdict


def interface(name: str, mtu: int = 1500, more: str = "", ups: int = 3) -> str:
    return (
        f"Interface {name} is up, line protocol is up\n  Link ups:       {ups}    last: 2026/11/01 10:00:00.00\n"
        f"  vrf: default\n  index 2 metric 0 mtu {mtu} speed 1000 \n{more}"
    )


def adjacency(router: str, port: str, state: str = "Full/-", since: str = "02w2d05h") -> str:
    return (
        f" Neighbor {router}, interface address 198.51.100.2\n    In the area 0.0.0.0 via interface {port}\n"
        f"    Neighbor priority is 1, State is {state}, 6 state changes\n      Progressive change {since} ago\n"
    )


OSPF, LINKS, BGP = "show ip ospf neighbor detail", "show interface", "show bgp summary"
ROUTES = "show ip route vrf all"


def judged(tmp_path: Path, text: str, after: Capture, before: Capture | None = None) -> Judgement:
    path = tmp_path / "expectations.yaml"
    path.write_text(text)
    return nogging.check(path, after=after, before=before)


def one(tmp_path: Path, entry: str, after: Capture, before: Capture | None = None) -> Result:
    return judged(tmp_path, f"expect:\n  - {entry}\n", after, before).results[0]


EVERY_UP = "{every: neighbor, where: protocol = 'ospf', must: state = 'full'}"


def test_every_passes_fails_and_shows_its_evidence(build: Build, tmp_path: Path) -> None:
    text = adjacency("192.0.2.12", "eth1") + adjacency("192.0.2.13", "eth2", "Init/-")
    result = one(tmp_path, EVERY_UP, build("now", {"mole-r1": {OSPF: text}}))
    assert (result.verdict, result.found, result.reason) == (Verdict.FAIL, 2, "1 of 2 fail")
    failure = result.failures[0]
    assert (failure.device, failure.record["interface"], failure.demanded) == ("mole-r1", "eth2", ("state = 'full'",))
    assert [(line.line, line.text.strip()[:13]) for line in failure.evidence if not line.around] == [
        (5, "Neighbor 192."),
        (7, "Neighbor prio"),
    ]
    assert [line.line for line in failure.evidence if line.around] == [3, 4, 6, 8]
    well = build("well", {"mole-r1": {OSPF: adjacency("192.0.2.12", "eth1")}})
    assert one(tmp_path, EVERY_UP, well).verdict is Verdict.PASS


def test_no_text_is_no_value(build: Build, tmp_path: Path) -> None:
    """No description is the empty text: whoever asks whether there is one means the same. And nothing failed before
    that was not looked at before."""
    now = build("now", {"mole-r1": {LINKS: interface("eth0") + interface("eth1", more="  Description: span\n")}})
    wanted = one(tmp_path, "{every: interface, must: description is not null}", now)
    assert [failure.record["name"] for failure in wanted.failures] == ["eth0"]
    assert wanted.reason == "1 of 2 fail" and wanted.failures[0].demanded == ("description is not null",)
    assert one(tmp_path, "{some: interface, where: name = 'eth0', must: {description: null}}", now).verdict == "pass"
    assert one(tmp_path, "{none: interface, where: label.site is not null}", now).found == 2


def test_what_matched_before_and_is_gone_fails(build: Build, tmp_path: Path) -> None:
    before = build("before", {"mole-r1": {OSPF: adjacency("192.0.2.12", "eth1") + adjacency("192.0.2.13", "eth2")}})
    after = build("after", {"mole-r1": {OSPF: adjacency("192.0.2.12", "eth1")}})
    result = one(tmp_path, EVERY_UP, after, before)
    assert (result.verdict, result.failures[0].reason) == (Verdict.FAIL, "gone")
    assert result.failures[0].evidence[0].when == "before"
    allowed = EVERY_UP.replace("}", ", gone: allowed}")
    assert one(tmp_path, allowed, after, before).verdict is Verdict.PASS
    stuck = build("stuck", {"mole-r1": {OSPF: adjacency("192.0.2.12", "eth1", "Init/-")}})
    assert one(tmp_path, EVERY_UP, stuck, stuck).failures[0].already, "it failed in the same way before"


@pytest.mark.parametrize(
    ("answers", "reason"),
    [
        ({OSPF: CommandEntry(NOT_ANSWERED, "nothing for 60 s")}, "nothing for 60 s"),
        ({OSPF: CommandEntry(NOT_SUPPORTED)}, "does not know"),
        ({OSPF: CommandEntry(PARTIAL, "the connection ended")}, "was cut off: the connection ended"),
        ({OSPF: "% OSPF instance not found\n"}, "not configured on mole-r1"),
        ({OSPF: ""}, "no neighbor matches 'where'"),
        ({}, "'show ip ospf neighbor detail' was not asked"),
        ({OSPF: adjacency("192.0.2.12", "eth1") + "Neighbour of another kind\n"}, "1 unread line in"),
        (
            {OSPF: adjacency("192.0.2.12", "eth1").replace("State is Full/-", "State is Merry/-")},
            "unread lines stand in",
        ),
        ({OSPF: " Neighbor 192.0.2.12, interface address 198.51.100.2\n"}, "the device gave no 'state'"),
        ({OSPF: adjacency("192.0.2.12", "eth1") * 2}, "a second record with the same key"),
    ],
)
def test_each_way_to_have_no_evidence_is_unproven_and_named(
    build: Build, tmp_path: Path, answers: dict[str, Any], reason: str
) -> None:
    result = one(tmp_path, EVERY_UP, build("now", {"mole-r1": answers}))
    assert result.verdict is Verdict.UNPROVEN
    assert reason in result.reason


def test_a_sort_that_is_named_and_was_not_asked_for_is_no_pass(build: Build, tmp_path: Path) -> None:
    """Nobody asks for PIM unless somebody names it; a neighbor lost there is not made up for by one of OSPF."""
    answers = {OSPF: adjacency("192.0.2.12", "eth1"), BGP: "% BGP instance not found\n"}
    after = build("now", {"mole-r1": answers})
    named = "{every: neighbor, where: \"protocol in ('ospf', 'pim')\", must: state = 'full'}"
    result = one(tmp_path, named, after)
    assert result.verdict is Verdict.UNPROVEN and "'show ip pim neighbor' was not asked" in result.reason
    elsewhere = named.replace("in ('ospf', 'pim')", "= 'ospf' and protocol != 'pim'")
    assert one(tmp_path, elsewhere, after).verdict is Verdict.PASS
    asked = build("asked", {"mole-r1": {**answers, "show ip pim neighbor": "pimd is not running\n"}})
    assert one(tmp_path, named, asked, asked).verdict is Verdict.PASS, "it never ran"


def test_a_gap_that_cannot_matter_does_not(build: Build, tmp_path: Path) -> None:
    gone = CommandEntry(NOT_ANSWERED, "nobody there")
    after = build("now", {"mole-r1": {OSPF: adjacency("192.0.2.12", "eth1"), BGP: gone}, "mole-r2": {OSPF: gone}})
    entry = "{every: neighbor, where: \"protocol = 'ospf' and device = 'mole-r1'\", must: settled}"
    assert one(tmp_path, entry, after).verdict is Verdict.PASS, "neither BGP nor the other device could matter"
    assert one(tmp_path, EVERY_UP, after).verdict is Verdict.UNPROVEN
    nobody = entry.replace("mole-r1", "mole-r7").replace("every", "none").replace("settled", "not settled")
    assert "nothing that was captured could show" in one(tmp_path, nobody, after).reason
    assert one(tmp_path, nobody, after).verdict is Verdict.UNPROVEN


@pytest.mark.parametrize(
    ("entry", "verdict", "reason"),
    [
        ("{some: interface, where: name = 'eth1', must: mtu = 9000}", "pass", "1 interface"),
        ("{some: interface, where: name = 'eth2', must: mtu = 9000}", "fail", "no interface is as expected"),
        ("{none: interface, where: mtu < 1500}", "pass", "none, as expected"),
        ("{none: interface, where: mtu = 9000}", "fail", "1 interface found where none is expected"),
        ("{count: interface, where: mtu >= 1500, must: n = 2}", "pass", "n = 2"),
        ("{count: interface, must: n > 2}", "fail", "n = 2"),
        ("{count: interface, must: n = before.n}", "unproven", "no capture from before"),
        ("{every: interface, must: in_errors = 0}", "unproven", "frr never gives 'in_errors'"),
        ("{every: interface, where: in_errors > 0, must: mtu = 9000}", "unproven", "frr never gives 'in_errors'"),
        ("{none: interface, where: in_errors > 0}", "unproven", "frr never gives 'in_errors'"),
        ("{every: interface, where: in_errors > 0, must: mtu > 0}", "unproven", "no interface matches 'where'"),
        ("{every: interface, where: name = 'eth7', must: mtu > 0, may_be_empty: true}", "pass", "0 interfaces"),
        ("{every: interface, must: mtu = before.mtu}", "unproven", "no capture from before"),
        (
            "{every: interface, where: label.site = 'mole', must: {oper_status: up, vrf: default}}",
            "pass",
            "2 interfaces",
        ),
        ("{every: interface, where: label.site = 'otter', must: {oper_status: up}}", "unproven", "could show such a"),
        ("{every: interface, should: mtu = 9000}", "fail", "1 of 2 fail"),
        ("{every: interface, where: description <> 'x', must: mtu > 0}", "pass", "2 interfaces"),
    ],
)
def test_quantifiers(build: Build, tmp_path: Path, entry: str, verdict: str, reason: str) -> None:
    after = build("now", {"mole-r1": {LINKS: interface("eth1", 9000) + interface("eth2")}}, site="mole")
    judgement = judged(tmp_path, f"expect:\n  - {entry}\n", after)
    assert (str(judgement.results[0].verdict), reason in judgement.results[0].reason) == (verdict, True), (
        judgement.results
    )
    assert judgement.warnings == ("should" in entry)
    assert str(judgement.verdict) == ("pass" if "should" in entry else verdict), "a should never fails the change"


BLACKHOLE = "S>* 203.0.113.64/26 [1/0] unreachable (blackhole), weight 1, 00:01:08\n"
TWO_HOPS = (
    "O>* 198.51.100.8/30 [110/20] via 198.51.100.2, eth1, weight 1, 00:00:22\n"
    "  *                          via 198.51.100.6, eth2, weight 1, 00:00:22\n"
)


def test_routes_are_counted_by_key_and_hops_by_member(build: Build, tmp_path: Path) -> None:
    after = build("now", {"mole-r1": {ROUTES: BLACKHOLE + TWO_HOPS}})
    four = "where: \"family = 'ipv4'\""
    assert one(tmp_path, f"{{count: route, {four}, must: n = 2 and hops = 3}}", after).verdict is Verdict.PASS
    asked_for_all = one(tmp_path, "{none: route, where: outgoing_interface = 'eth3'}", after)
    assert (asked_for_all.verdict, asked_for_all.reason) == (
        Verdict.UNPROVEN,
        "after: 'show ipv6 route vrf all' was not asked",
    )
    both = build(
        "both", {"mole-r1": {ROUTES: BLACKHOLE + TWO_HOPS, ROUTES + " json": "", "show ipv6 route vrf all json": "{}"}}
    )
    assert one(tmp_path, "{none: route, where: outgoing_interface = 'eth3'}", both).verdict is Verdict.PASS


def what(differences: tuple[Difference, ...]) -> list[tuple[str, str, dict[str, Any]]]:
    return [(found.kind, found.what, found.fields) for found in differences]


def test_differences_by_nature(build: Build) -> None:
    before = {
        LINKS: interface("eth1") + interface("eth2", ups=7),
        OSPF: adjacency("192.0.2.12", "eth1"),
        ROUTES: TWO_HOPS,
    }
    after = copy.deepcopy(before)
    after[LINKS] = interface("eth1", 9000) + interface("eth2", ups=2) + interface("eth3")
    after[OSPF] = adjacency("192.0.2.12", "eth1", since="00:00:30")
    after[ROUTES] = TWO_HOPS.split("\n")[0].replace("00:00:22", "1d02h03m") + "\n" + BLACKHOLE
    found = nogging.compare(build("before", {"mole-r1": before}), build("after", {"mole-r1": after}))
    told = what(found.differences)
    assert not found.not_compared
    assert ("interface", "moved", {"mtu": (1500, 9000)}) in told
    assert ("interface", "restarted", {"up_transitions": (7, 2)}) in told
    assert ("interface", "new", {}) in told and ("route", "new", {}) in told
    assert [fields.keys() for _, kind, fields in told if kind == "restarted"] == [{"up_transitions"}, {"since"}]
    moved = next(fields for kind, how, fields in told if (kind, how) == ("route", "moved"))
    assert [hop["next_hop_address"] for hop in moved["hops"][0]] == ["198.51.100.2", "198.51.100.6"]
    assert [hop["next_hop_address"] for hop in moved["hops"][1]] == ["198.51.100.2"]
    assert len(told) == 6, "the age of a route is no difference"


@pytest.mark.parametrize(
    ("old", "new", "hours", "restarted"),
    [
        ("02w2d05h", "02w2d06h", 1, False),
        ("02w2d05h", "02w2d05h", 0.9, False),
        ("00:10:00", "00:10:03", 0, False),
        ("00:10:00", "00:09:50", 0, True),
        ("01:00:00", "01:00:00", 1, True),
        ("02w2d05h", "02w2d05h", 3, True),
    ],
)
def test_a_timer_has_restarted_only_beyond_its_resolution(
    build: Build, old: str, new: str, hours: float, restarted: bool
) -> None:
    later = f"2026-11-23T{2 + int(hours):02d}:{int(hours % 1 * 60):02d}:00+00:00"
    before = build("before", {"mole-r1": {OSPF: adjacency("192.0.2.12", "eth1", since=old)}})
    after = build("after", {"mole-r1": {OSPF: adjacency("192.0.2.12", "eth1", since=new)}}, later)
    assert [found.what for found in nogging.compare(before, after).differences] == ["restarted"] * restarted


def test_a_clock_that_was_put_right_restarts_nothing(build: Build) -> None:
    told = {
        "mole-r1": {LINKS: "Interface eth1 is up, line protocol is up\n  Link ups: 2 last: 2026/11/20 09:00:00.00\n"}
    }
    ahead = {"mole-r1": {LINKS: told["mole-r1"][LINKS].replace("09:00", "10:00")}}
    before, after = build("before", ahead, skew=3600), build("after", told)
    assert not nogging.compare(before, after).differences
    assert [difference.what for difference in nogging.compare(after, build("wrong", ahead)).differences] == [
        "restarted"
    ]


@pytest.mark.parametrize(("old", "new", "restarted"), [(5, 3, True), (2**32 - 9, 4, False), (2**40, 7, True)])
def test_a_counter_that_wrapped_has_not_restarted(build: Build, old: int, new: int, restarted: bool) -> None:
    before, after = (
        build(name, {"mole-r1": {LINKS: interface("eth1", ups=n)}}) for name, n in (("b", old), ("a", new))
    )
    assert bool(nogging.compare(before, after).differences) is restarted


def test_what_was_not_captured_is_neither_gone_nor_new(build: Build, tmp_path: Path) -> None:
    before = build("before", {"mole-r1": {LINKS: interface("eth1")}, "mole-r2": {LINKS: interface("eth1")}})
    after = build(
        "after", {"mole-r1": {LINKS: interface("eth1")}, "mole-r2": {LINKS: CommandEntry(NOT_ANSWERED, "silence")}}
    )
    found = nogging.compare(before, after)
    assert found.differences == () and "silence" in found.not_compared[0]
    strict = "differences: {other: fail}\n"
    assert judged(tmp_path, strict, after, before).verdict is Verdict.UNPROVEN
    assert judged(tmp_path, strict, before, before).verdict is Verdict.PASS
    assert judged(tmp_path, strict, before).verdict is Verdict.UNPROVEN, "without a before there is nothing to compare"


def test_a_line_that_is_unread_before_and_after_hides_nothing(build: Build) -> None:
    before = build("before", {"mole-r1": {ROUTES: BLACKHOLE + TWO_HOPS + "what is this\n"}})
    after = build("after", {"mole-r1": {ROUTES: TWO_HOPS + "what is this\n"}})
    found = nogging.compare(before, after)
    assert [one.what for one in found.differences] == ["gone"] and not found.not_compared
    other = build("other", {"mole-r1": {ROUTES: TWO_HOPS + "what is that\n"}})
    certain = nogging.compare(before, other)
    assert [difference.what for difference in certain.differences] == ["gone"], (
        "what the unread line is not about is certain"
    )
    assert "as many as 1 record could hide: - what is this  + what is that" in certain.not_compared[0]
    perhaps = build("perhaps", {"mole-r1": {ROUTES: TWO_HOPS + f"{BLACKHOLE.strip()} in new words\n"}})
    hidden = nogging.compare(before, perhaps)
    assert not hidden.differences and "could hide" in hidden.not_compared[0]
    varied = build("varied", {"mole-r1": {ROUTES: BLACKHOLE + TWO_HOPS + "seen 5 times in 00:01:12\n"}})
    later = build("later", {"mole-r1": {ROUTES: BLACKHOLE + TWO_HOPS + "seen 75 times in 3 days, 2 hours\n"}})
    same = nogging.compare(varied, later)
    assert not same.differences and not same.not_compared and "1 unread lines differ in nothing but" in same.notes[0]


@pytest.mark.parametrize("condition", ["regexp_matches(name, description)", "mtu * 9223372036854775807 > 1"])
def test_a_condition_that_cannot_be_computed_is_told(build: Build, tmp_path: Path, condition: str) -> None:
    after = build("now", {"mole-r1": {LINKS: interface("eth1", more="  Description: (\n")}})
    for entry in (f'{{every: interface, must: "{condition}"}}', f'{{none: interface, where: "{condition}"}}'):
        with pytest.raises(QuestionError, match="cannot be computed"):
            one(tmp_path, entry, after)


def test_differences_are_explained_or_not(build: Build, tmp_path: Path) -> None:
    before = build("before", {"mole-r1": {LINKS: interface("eth1") + interface("eth2")}})
    after = build("after", {"mole-r1": {LINKS: interface("eth1", 9000)}})
    text = "differences:\n  explain:\n    - {title: t, kind: interface, what: moved, where: mtu = 9000, times: TIMES}\n  other: OTHER\n"
    cases = {("1", "fail"): "fail", ("1", "ignore"): "pass", ("1", "warn"): "pass", ("2", "ignore"): "fail"}
    for (times, other), verdict in cases.items():
        found = judged(tmp_path, text.replace("TIMES", times).replace("OTHER", other), after, before)
        assert str(found.verdict) == verdict and [one.times for one in found.explained] == [1]
        assert [(one.what, one.key["name"]) for one in found.unexplained] == [("gone", "eth2")]
        assert found.warnings == (other == "warn")


def test_the_change_done_well_and_badly(good: Change, bad: Change) -> None:
    well = nogging.check(good.expectations, after=good.after, before=good.before)
    assert (well.verdict, well.warnings, well.unexplained) == (Verdict.PASS, 0, ())
    ill = nogging.check(bad.expectations, after=bad.after, before=bad.before)
    assert ill.verdict is Verdict.FAIL
    failed = {(failure.device, result.kind) for result in ill.results for failure in result.failures}
    assert {("mole-r2", "interface"), ("gannet-r1", "neighbor"), ("mole-r2", "neighbor")} <= failed
    left = {(one.device, one.kind, one.what) for one in ill.unexplained}
    assert {("heron-r1", "interface", "moved"), ("edge-r1", "neighbor", "restarted")} <= left


def test_comparing_is_a_mirror_and_nothing_differs_from_itself(good: Change) -> None:
    assert nogging.compare(good.after, good.after).differences == ()
    there, back = nogging.compare(good.before, good.after), nogging.compare(good.after, good.before)

    def keys(found: tuple[Difference, ...], how: str) -> list[Any]:
        return sorted(str(one.identity) for one in found if one.what == how)

    assert keys(there.differences, "gone") == keys(back.differences, "new")
    assert keys(there.differences, "new") == keys(back.differences, "gone")
    moved = {
        str(difference.identity): {name: (new, old) for name, (old, new) in difference.fields.items()}
        for difference in there.differences
        if difference.what == "moved"
    }
    assert all(moved[str(one.identity)] == one.fields for one in back.differences if one.what == "moved")


@settings(max_examples=20, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_losing_an_answer_never_turns_a_verdict_towards_pass(good: Change, data: st.DataObject) -> None:
    side = data.draw(st.sampled_from(["before", "after"]))
    lame = copy.copy(getattr(good, side))
    lame.__dict__ = {**vars(lame), "manifest": copy.deepcopy(lame.manifest), "_said": {}}
    for known in ("devices", "_tables", "cache_key"):
        lame.__dict__.pop(known, None)
    device = data.draw(st.sampled_from(sorted(lame.devices)))
    command = data.draw(
        st.sampled_from(sorted(set(lame.devices[device].commands) - {"show logging"}))
    )  # never compared
    lame.devices[device].commands[command] = CommandEntry(NOT_ANSWERED, "silence")
    lame.__dict__["_tables"] = lame._read_all()
    captures = {"before": good.before, "after": good.after, side: lame}
    assert nogging.check(good.expectations, **captures).verdict is Verdict.UNPROVEN


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("", "the file is empty"),
        ("title: x\n", "nothing is expected in this file"),
        ("expect:\n  - {evry: interface, must: mtu = 1}\n", ":2:6: unknown key 'evry'; did you mean 'every'?"),
        ("expect:\n  - {every: interfce, must: mtu = 1}\n", ":2:13: unknown kind 'interfce'; did you mean 'interface'?"),
        ("expect:\n  - {every: interface}\n", ":2:5: 'every' needs a 'must' or a 'should'"),
        ("expect:\n  - {every: interface, none: route, must: mtu = 1}\n", "needs exactly one of"),
        ("expect:\n  - {every: interface, must: mtu = 1, should: mtu = 1}\n", "not both"),
        ("expect:\n  - every: interface\n    must: mtu = 9000 and mtuu = 1\n", ":3:26: unknown field 'mtuu'"),
        ("expect:\n  - every: neighbor\n    must: \"state = 'ful'\"\n", ":3:20: 'state' is never 'ful'; did you mean 'full'?"),
        ("expect:\n  - {every: interface, must: {mtuu: 1}}\n", "unknown field 'mtuu'; did you mean 'mtu'?"),
        ("expect:\n  - {count: interface, must: n > before.m}\n", "unknown field 'before.m'"),
        ("expect:\n  - {count: interface, where: before.mtu = 1, must: n > 0}\n", "'before.' is not known here"),
        ("expect:\n  - {none: interface, where: mtu = 1, gone: allowed}\n", "only 'every' asks about records that are gone"),
        ("differences: {other: shrug}\n", ":1:22: input should be 'fail', 'warn' or 'ignore'"),
    ],
)  # fmt: skip
def test_a_mistake_in_the_file_is_told_before_anything_is_judged(
    build: Build, tmp_path: Path, text: str, told: str
) -> None:
    after = build("now", {"mole-r1": {LINKS: interface("eth1")}})
    with pytest.raises(FileError) as caught:
        judged(tmp_path, text, after)
    assert told in str(caught.value)
