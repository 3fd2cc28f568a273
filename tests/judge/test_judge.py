"""Small worlds, judged by Nogging and by the plain judge beside this file: they never disagree.

NOGGING_WORLDS=20000 python -m pytest tests/judge         # so many worlds; a few in each run of the tests
"""

from __future__ import annotations

import json
import os
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

import nogging
from judge import plain
from judge.plain import STATES, World
from nogging.captures.capture import UNREAD, Capture, unread_table
from nogging.records import KINDS
from nogging.records.tables import table

WORLDS = int(os.environ.get("NOGGING_WORLDS", "60"))
ASKED = "show interface"
NAMES = ("eth1", "eth2", "eth3")
TEXTS = ("odd about eth1", "odd about eth2 5", "odd words 7", "odd words 8", "strange words")


# worlds

VALUES = {
    "mtu": st.sampled_from([1500, 9000, None]),
    "oper_status": st.sampled_from(["up", "down", None]),
    "description": st.sampled_from(["", "span", "spare"]),
    "in_errors": st.sampled_from([0, 5, 9, None]),
}
LINES = st.lists(st.sampled_from(TEXTS), max_size=1)


@st.composite
def devices(draw: st.DrawFn, tier: str) -> dict[str, Any] | None:
    if draw(st.integers(0, 9)) == 0:
        return None
    if draw(st.integers(0, 7)) == 0:
        return {"tier": tier, "answered": False, "records": [], "unread": []}
    names = draw(st.lists(st.sampled_from(NAMES), unique=True, min_size=1))
    records = [{"name": name, **draw(st.fixed_dictionaries(VALUES)), "unread": draw(LINES)} for name in names]
    behind = st.sampled_from([None, *names])
    unread = [(text, draw(behind)) for text in draw(st.lists(st.sampled_from(TEXTS), max_size=1))]
    return {"tier": tier, "answered": True, "records": records, "unread": unread}


@st.composite
def sides(draw: st.DrawFn, like: plain.Side | None = None) -> plain.Side:
    """A side; often much like another one."""
    found: plain.Side = {}
    for device, tier in (("a1", "core"), ("b1", "edge")):
        other = (like or {}).get(device)
        if other is not None and draw(st.booleans()):
            kept = {**other, "records": [dict(one) for one in other["records"]]}
            if kept["records"] and draw(st.booleans()):
                record = draw(st.sampled_from(kept["records"]))
                field = draw(st.sampled_from(sorted(VALUES)))
                record[field] = draw(VALUES[field])
            if len(kept["records"]) > 1 and draw(st.booleans()):
                gone = kept["records"].pop()["name"]
                kept["unread"] = [(text, behind) for text, behind in kept["unread"] if behind != gone]
            found[device] = kept
        elif (made := draw(devices(tier))) is not None:
            found[device] = made
    return found


@st.composite
def worlds(draw: st.DrawFn) -> World:
    before = draw(st.one_of(st.none(), sides(), sides()))
    after = draw(sides(before)) or {"a1": {"tier": "core", "answered": False, "records": [], "unread": []}}
    return World(after, before or None)


def captured(folder: Path, side: plain.Side, hour: int) -> Capture:
    """A side as a capture."""
    started = f"2026-11-23T{hour:02d}:00:00+00:00"
    entries = {
        True: {"outcome": "answered", "started": started, "whole": True},
        False: {"outcome": "not_answered", "reason": "silence", "started": started},
    }
    told = {
        name: {"dialect": "frr", "outcome": "captured", "labels": {"tier": its["tier"]}, "commands": {ASKED: entries[its["answered"]]}}
        for name, its in side.items()
    }  # fmt: skip
    folder.mkdir()
    (folder / "capture.json").write_text(
        json.dumps({"format": 1, "run": "x", "started": started, "ended": started, "devices": told})
    )
    records, unread = [], []
    for device, its in side.items():
        place: dict[str | None, int] = {None: 1}
        for n, one in enumerate(its["records"], 1):
            place[one["name"]] = n * 10
            values = {name: value for name, value in one.items() if name != "unread"}
            records.append({"device": device, **values, "answer": ASKED, "line": [n * 10, n * 10 + 3]})
            unread += [
                {
                    "device": device,
                    "answer": ASKED,
                    "line": n * 10 + 2,
                    "text": text,
                    "within": n * 10,
                    "kind": "interface",
                }
                for text in one["unread"]
            ]
        unread += [
            {"device": device, "answer": ASKED, "line": place[behind] + 5, "text": text}
            for text, behind in its["unread"]
        ]
    capture = Capture(folder)
    tables = {name: table(kind, records if name == "interface" else []) for name, kind in KINDS.items()}
    capture.__dict__["_tables"] = {**tables, UNREAD: unread_table(unread)}
    capture.answer = lambda device, command: "\n" * 99  # type: ignore[method-assign]
    return capture


# files


def leaves(back: bool) -> st.SearchStrategy[plain.Condition]:
    own = [
        st.tuples(st.just("mtu"), st.sampled_from(["=", "<>", ">="]), st.sampled_from([1500, 9000])),
        st.tuples(st.just("oper_status"), st.just("="), st.sampled_from(["up", "down"])),
        st.tuples(st.just("description"), st.sampled_from(["=", "<>"]), st.sampled_from(["span", ""])),
        st.tuples(st.just("in_errors"), st.sampled_from(["=", ">", "<="]), st.sampled_from([0, 5])),
        st.tuples(st.just("name"), st.just("="), st.sampled_from(NAMES)),
        st.tuples(st.just("device"), st.just("="), st.sampled_from(["a1", "b1"])),
        st.tuples(st.just("label.tier"), st.just("="), st.sampled_from(["core", "edge"])),
        st.tuples(st.sampled_from(["is null", "is not null"]), st.sampled_from(["mtu", "oper_status", "in_errors"])),
        st.tuples(st.just("in"), st.just("oper_status"), st.just(("up", "down"))),
        st.tuples(st.just("coalesce"), st.just("mtu"), st.just(1500), st.just("="), st.sampled_from([1500, 9000])),
    ]
    from_before = [
        st.tuples(st.just("same"), st.sampled_from(["mtu", "in_errors"]), st.sampled_from(["=", "<="]), st.sampled_from(["before.mtu", "before.in_errors"])),
        st.tuples(st.just("before.oper_status"), st.just("="), st.just("up")),
        st.tuples(st.sampled_from(["is null", "is not null"]), st.sampled_from(["before.mtu", "before.oper_status"])),
    ]  # fmt: skip
    return st.one_of(*own, *(from_before if back else []))


@st.composite
def conditions(draw: st.DrawFn, back: bool = True, deep: int = 2) -> plain.Condition:
    how = draw(st.sampled_from(["plain", "plain", "not", "and", "or"])) if deep else "plain"
    if how == "plain":
        return draw(leaves(back))
    parts = [draw(conditions(back, deep - 1)) for _ in range(1 if how == "not" else 2)]
    return (how, *parts)


@st.composite
def expectations(draw: st.DrawFn) -> dict[str, Any]:
    quantifier = draw(st.sampled_from(["every", "some", "none", "count", "exactly"]))
    back = quantifier not in ("count", "exactly")
    one: dict[str, Any] = {"quantifier": quantifier, "where": draw(st.one_of(st.none(), conditions(back)))}
    if quantifier == "every":
        one |= {"must": draw(conditions()), "gone": draw(st.booleans()), "may_be_empty": draw(st.booleans())}
    elif quantifier == "count":
        wanted = st.one_of(st.integers(0, 3), st.just("before.n"))
        one |= {"must": (draw(st.sampled_from(["=", ">=", "<="])), draw(wanted))}
        one |= {"per": draw(st.sampled_from([None, "device"])), "may_be_empty": draw(st.booleans())}
    elif quantifier == "exactly":
        row = st.tuples(st.sampled_from(["a1", "b1"]), st.sampled_from(NAMES), st.sampled_from([1500, 9000]))
        one |= {"rows": draw(st.lists(row, min_size=1, max_size=3, unique=True))}
    else:
        one |= {"must": draw(st.one_of(st.none(), conditions()))}
    return one


def entry(n: int, one: dict[str, Any]) -> dict[str, Any]:
    """An expectation as it stands in a file."""
    found: dict[str, Any] = {"title": f"e{n}", one["quantifier"]: "interface"}
    if one["where"] is not None:
        found["where"] = plain.sql(one["where"])
    if one["quantifier"] == "count":
        sign, wanted = one["must"]
        found["must"] = f"n {sign} {wanted}"
    elif one.get("must") is not None:
        found["must"] = plain.sql(one["must"])
    if one["quantifier"] == "exactly":
        found["rows"] = [dict(zip(("device", "name", "mtu"), row, strict=True)) for row in one["rows"]]
    found |= {"gone": "allowed"} if one.get("gone") else {}
    found |= {"per": one["per"]} if one.get("per") else {}
    return found | ({"may_be_empty": True} if one.get("may_be_empty") else {})


@st.composite
def entries(draw: st.DrawFn) -> dict[str, Any]:
    """An entry that explains differences."""
    what = draw(st.sets(st.sampled_from(["gone", "new", "moved", "restarted"]), min_size=1))
    fields = draw(st.sets(st.sampled_from([*STATES, "in_errors"]), min_size=1)) if "moved" in what else None
    return {"what": what, "fields": fields, "where": draw(conditions(False))}


def explaining(one: dict[str, Any]) -> dict[str, Any]:
    found = {"kind": "interface", "what": sorted(one["what"]), "where": plain.sql(one["where"])}
    return found | ({"fields": sorted(one["fields"])} if one["fields"] else {})


# both judge


@settings(
    max_examples=WORLDS,
    phases=[Phase.generate],
    deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow, HealthCheck.data_too_large],
)
@given(
    world=worlds(), asked=st.lists(expectations(), min_size=3, max_size=8), explained=st.lists(entries(), max_size=2)
)
def test_no_two_judges_disagree(world: World, asked: list[Any], explained: list[Any]) -> None:
    with TemporaryDirectory() as folder:
        judged_by_both(Path(folder), world, asked, explained)


def judged_by_both(folder: Path, world: World, asked: list[Any], explained: list[Any]) -> None:
    after = captured(folder / "after", world.after, 3)
    before = None if world.before is None else captured(folder / "before", world.before, 2)
    text: dict[str, Any] = {"expect": [entry(n, one) for n, one in enumerate(asked)]}
    if before is not None:
        text["differences"] = {"explain": [explaining(one) for one in explained], "other": "fail"}
    path = folder / "expectations.yaml"
    path.write_text(json.dumps(text))
    found = nogging.check(path, after=after, before=before)
    wanted = [plain.judged(world, one) for one in asked]
    told = [(result.verdict.value, result.reason) for result in found.results]
    for one, verdict, written, said in zip(asked, wanted, text["expect"], told, strict=True):
        assert said[0] == verdict, (written, one, said, f"{world.after}\n{world.before}")
    overall = list(wanted)
    if before is not None:
        certain, blind = plain.differences(world)
        compared = nogging.compare(before, after)
        assert {difference(one) for one in compared.differences} == certain, f"{world.after}\n{world.before}"
        assert bool(compared.not_compared) == blind, f"{compared.not_compared}\n{world.after}\n{world.before}"
        left = plain.unexplained(world, explained)
        assert {difference(one) for one in found.unexplained} == left, f"{explained}\n{world.after}\n{world.before}"
        overall += ["fail"] * bool(left) + ["unproven"] * blind
    verdict = "fail" if "fail" in overall else "unproven" if "unproven" in overall else "pass"
    assert found.verdict.value == verdict


def difference(one: Any) -> plain.Difference:
    return one.key["device"], one.key["name"], one.what, frozenset(one.fields)
