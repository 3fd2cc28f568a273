"""The schemas that editors check files by say what the loader says."""

from __future__ import annotations

import copy
import json
from collections.abc import Iterator
from functools import cache, reduce
from importlib.resources import files
from operator import getitem
from pathlib import Path
from typing import Any

import jsonschema
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import here
from nogging.asking.windows import WindowsModel
from nogging.changes.file.declared import ChangeModel
from nogging.changes.run.receivers import ReceiversModel
from nogging.dialects.declared import Dialect
from nogging.errors import FileError
from nogging.files import Source, dump, loads, plain_values, validated
from nogging.inventory import InventoryModel
from nogging.judging.expectations import ExpectationsModel
from nogging.packages import PackageModel
from nogging.reading.declared import ReaderModel

PACKAGE = Path(str(files("nogging")))
MODELS = {
    "change": ChangeModel,
    "dialect": Dialect,
    "expectations": ExpectationsModel,
    "inventory": InventoryModel,
    "over_time": WindowsModel,
    "package": PackageModel,
    "reader": ReaderModel,
    "receivers": ReceiversModel,
}
INVENTORY = """
settings:
  - {login: {user: noc, password: {environment: P}}, known_hosts: known_hosts}
  - {for: "site = 'mole'", through: 192.0.2.1, raise: {secret: {prompt: true}}, connect_within: 20, algorithms: {host_key: [ssh-rsa]}}
devices:
  - {name: mole-r1, address: 192.0.2.11, dialect: frr, site: mole, port: 2222}
  - {name: gannet-r1, address: gannet.teal.example, dialect: ios, way: exec}
links: [["mole-r1 eth0", "gannet-r1 eth1"]]
"""
WINDOWS = """
title: Quiet
over_time:
  - {title: Sessions, each: neighbor, where: "protocol = 'bgp'", within: 1d, at: "06:00", must: restarts <= 2}
  - {title: Ports, each: interface, within: 90m, that: "oper_status = 'up'", should: held > 5}
usual:
  - {title: Routes, of: route, with: {device: mole-r1}, number: records, level: 7, give: 2}
"""
RECEIVERS = """
quiet: 22:00-06:00
notices:
  - {on: [fail], http: "https://chat.example/hook", headers: {Authorization: {environment: TOKEN}}}
  - {mail: noc@teal.example, tls: starttls, login: {user: noc, password: {file: p}}}
"""
CHANGE = """
inventory: inventory.yaml
gate: {expect: [{every: neighbor, must: settled}], unchanged_since: evening, restless: allowed}
steps:
  - {on: "name = 'mole-r1'", send: [interface eth3, shutdown], undo: [interface eth3, no shutdown], turns: batches, batch: 5}
  - {template: span.j2, mode: configure}
  - {intent: [{interface: eth4, mtu: 9000}], only: [ntp_server]}
  - {call: {command: [./drain], undo: {http: {url: "https://a.example", body: {a: 1}}}}}
  - {await: {person: The cable is in, undo: Take it out}}
  - {await: {expect: [{some: route, must: active}], at_most: 60}}
settling: {kinds: [route], quiet: 5, timers: 40}
probes: [{to: 192.0.2.1, from: mole-r1, tcp: 443, at_most: 3}]
window: {start: "2026-11-24T02:00:00Z", end: "2026-11-24T04:00:00Z"}
"""
MORE = """
include: [ready/links.yaml]
conditions: {core: "label.tier = 'core'"}
values: {frame: [1500, {for: "label.tier = 'core'", value: 9000}]}
expect:
  - {path: {from: gannet-r1, to: mole-r1, both_ways: true, same: as_before}, should: true}
  - {joined: {from: "label.tier = 'core'", to: edge-r1, by: settled}}
  - {exactly: interface, rows: {capture: before, fields: [device, name]}}
  - {exactly: neighbor, where: {protocol: lldp}, rows: [{device: a}]}
  - {count: system, of: os_release, per: [os_name, label.tier], must: n = 1}
waivers: [{title: Known, kind: interface, where: "name = 'a'", owner: noc, until: 2026-12-31}]
acknowledged: [{line: License <->, dialect: ios}]
"""


@cache
def seeds(sort: str) -> list[Any]:
    written = {
        "inventory": [INVENTORY],
        "over_time": [WINDOWS],
        "receivers": [RECEIVERS],
        "change": [CHANGE],
        "expectations": [MORE],
    }
    there = {
        "change": [PACKAGE / "standin/change.yaml"],
        "package": sorted((PACKAGE.parent.parent / "examples/packages").glob("*/package.yaml")),
        "expectations": [PACKAGE / "standin/expectations.yaml", *sorted((PACKAGE / "judging/ready").glob("*.yaml"))],
        "reader": [one for one in sorted((PACKAGE / "reading/library").glob("*/*.yaml")) if is_reader(one)][::12],
        "dialect": sorted((PACKAGE / "reading/library").glob("*/dialect.yaml")),
    }
    texts = [*written.get(sort, ()), *(one.read_text() for one in there.get(sort, ()))]
    return [plain_values(text, "seed")[0] for text in texts]


def is_reader(path: Path) -> bool:
    return path.name not in ("dialect.yaml", "words.yaml") and ".records" not in path.name


@cache
def validator(sort: str) -> jsonschema.Draft202012Validator:
    return jsonschema.Draft202012Validator(json.loads(here("schema", sort)[1]))


def places(data: Any, where: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Every place in it, but for those within an intent or a body, which are anything."""
    if where and where[-1] in ("intent", "body"):
        return
    yield where
    for key, value in data.items() if isinstance(data, dict) else enumerate(data) if isinstance(data, list) else ():
        yield from places(value, (*where, key))


def is_taken(sort: str, data: Any) -> bool | None:
    """None where two values do not go together: what else is wrong the loader does not say then."""
    try:
        validated(data, Source("mutated", ""), MODELS[sort])
    except FileError as error:
        return None if any(said in str(error) for said in COMPARED) else False
    return True


COMPARED = ("nothing is quiet for", "cannot tell an outage of", "'several' names one of")
"""What the loader says of two values that each would do: a schema does not compare them."""
VALUES = st.sampled_from([None, 3, 2.5, True, [], {}, ["x"], [{"x": 1}], {"x": 1}, "x"])


@pytest.mark.parametrize("sort", MODELS)
@settings(max_examples=250, deadline=None)
@given(data=st.data())
def test_a_schema_and_the_loader_take_the_same_files(sort: str, data: st.DataObject) -> None:
    """A file with a key taken away, misspelt or added, or with a value of another type."""
    mutated = copy.deepcopy(data.draw(st.sampled_from(seeds(sort))))
    texts = {where for where in places(mutated) if isinstance(reduce(getitem, where, mutated), str)}
    for _ in range(data.draw(st.integers(1, 2))):
        where = data.draw(st.sampled_from([place for place in places(mutated) if place]))
        inside = mutated
        for step in where[:-1]:
            inside = inside[step]
        how = data.draw(st.sampled_from(["away", "misspelt", "another", "added"]))
        if how == "away":
            del inside[where[-1]]
        elif how == "misspelt" and isinstance(inside, dict):
            inside[f"{where[-1]}x"] = inside.pop(where[-1])
        elif how == "added" and isinstance(inside, dict):
            inside.setdefault(*copy.deepcopy(data.draw(st.sampled_from(known_keys(sort)))))
        else:
            value = copy.deepcopy(data.draw(VALUES))
            if not (isinstance(value, str) and where in texts):  # what else a text has to be, no schema says
                inside[where[-1]] = value
    schema = [error.message for error in validator(sort).iter_errors(mutated)]
    assert is_taken(sort, mutated) in (None, not schema), (mutated, schema)


@cache
def known_keys(sort: str) -> list[tuple[str, Any]]:
    """The keys of a sort of file, anywhere in it, each with a value that its schema gives as an example."""
    schema = validator(sort).schema
    objects = [schema, *schema.get("$defs", {}).values()]
    return [
        (key, one["examples"][0])
        for found in objects
        for key, one in found.get("properties", {}).items()
        if "examples" in one
    ]


@pytest.mark.parametrize("sort", MODELS)
def test_every_key_has_its_meaning_and_examples_that_hold(sort: str) -> None:
    schema = validator(sort).schema
    assert "null" not in json.dumps(schema).replace('"null"', "null").split('"type": ')[1:]
    for found in [schema, *schema.get("$defs", {}).values()]:
        for key, one in found.get("properties", {}).items():
            assert one["description"].endswith((".", ")")), key
            for example in one.get("examples", ()):
                wrong = list(
                    jsonschema.Draft202012Validator({**one, "$defs": schema.get("$defs", {})}).iter_errors(example)
                )
                assert not wrong, (key, example, wrong)


def test_predicates_are_marked_as_sql() -> None:
    where = validator("expectations").schema["$defs"]["ExpectModel"]["properties"]["where"]
    assert {"type": "string", "contentMediaType": "application/sql"} in where["anyOf"]


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("expect:\n  - every: interface\n    where:\n    must: mtu = 1\n", "f.yaml:3:5: nothing stands behind 'where'"),
        (
            "expect: [{every: interface, must: mtu = 1, may_be_empty: 'yes'}]",
            "f.yaml:1:58: input should be a valid boolean",
        ),
    ],
)
def test_what_is_empty_or_of_another_type_is_not_guessed_at(text: str, told: str) -> None:
    with pytest.raises(FileError, match=told.replace("(", r"\(")):
        loads(text, "f.yaml", ExpectationsModel)


def test_what_is_dumped_is_taken() -> None:
    for seed in seeds("expectations"):
        assert is_taken("expectations", plain_values(dump(seed), "d")[0])
