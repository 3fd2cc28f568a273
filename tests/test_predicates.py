"""Predicates: what is refused before anything runs, and what is known of what is not known."""

from __future__ import annotations

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from nogging.predicates import PredicateError, Schema, from_mapping, holds, parse
from nogging.records import KINDS

NEIGHBOR = KINDS["neighbor"].fields
SCHEMA: Schema = {
    **{(name,): field for name, field in NEIGHBOR.items()},
    **{("before", name): field for name, field in NEIGHBOR.items()},
    ("label", "site"): NEIGHBOR["description"],
}


@pytest.mark.parametrize(
    ("text", "told", "offset"),
    [
        ("state = 'ful'", "'state' is never 'ful'; did you mean 'full'?", 8),
        ("settled and stat = 'full'", "unknown field 'stat'; did you mean 'state'?", 12),
        ("before.stat = 'full'", "unknown field 'before.stat'; did you mean 'state'?", 0),
        ("label.sit = 'x'", "unknown label 'label.sit'; did you mean 'site'?", 0),
        ("protocol = \"ospf\"", "text is written in single quotes", 11),
        ("neighbor_address = '192.0.2.300'", "is not a value of 'neighbor_address'", 19),
        ("state", "this is a value and not a condition", 0),
        ("state = 5", "the number 5 cannot be compared with 'state' (a text)", 0),
        ("remote_as = (select 1)", "a subquery is not taken", 12),
        ("read_csv('/etc/passwd') = 1", "unknown function 'read_csv'", 0),
        ("getenv('HOME') = 'x'", "unknown function 'getenv'", 0),
        ("repeat('x', 1000000000) = state", "unknown function 'repeat'", 0),
        ("count(*) over () > 1", "a window function is not taken", 0),
        ("remote_as = 1) or (true", "cannot be understood", 13),
        ("remote_as = 1; drop table x", "cannot be understood", 0),
        ("remote_as = 1 limit 1", "one condition is expected here, and nothing after it", 0),
        ("remote_as = 1 union select 1", "one condition is expected here", 0),
        ("$1 = 1", "is not taken", 0),
        ("cast(remote_as as text) = '1'", "a cast is only taken", 0),
        ("lower(state, 'x') = 'full'", "'lower' takes 1 value(s)", 0),
        ("regexp_matches(state, '(')", "cannot be computed", 22),
        ("remote_as / (2 - 2) = 1", "a division by zero", 15),
        ("remote_as % 0 = 1", "a division by zero", 12),
        ("   ", "there is none", 0),
        ("(" * 3000 + "settled" + ")" * 3000, "", 0),
    ],
)  # fmt: skip
def test_refused_with_its_place(text: str, told: str, offset: int) -> None:
    with pytest.raises(PredicateError) as caught:
        parse(text, SCHEMA)
    assert told in str(caught.value)
    assert offset in (caught.value.offset, 0)


def test_constants_take_the_form_of_their_field() -> None:
    assert "'0.0.0.0'" in parse("area_id = '0'", SCHEMA).sql(".".join)
    assert "'2_way'" in parse("state in ('2-Way', 'FULL')", SCHEMA).sql(".".join)
    short = from_mapping({"state": "full", "remote_as": 64496, "settled": True, "since": None}, SCHEMA)
    assert short.text == "state = 'full' and remote_as = 64496 and settled = true and since is null"
    parts = [part.text for part in parse("state = 'full' and (remote_as = 1 or not settled)", SCHEMA).parts()]
    assert parts == ["state = 'full'", "(remote_as = 1 or not settled)"]


@pytest.mark.parametrize(
    ("text", "row", "answer"),
    [
        ("state = 'full' and description = 'x'", {("state",): "init"}, False),
        ("state = 'full' or description = 'x'", {("state",): "full"}, True),
        ("state = 'full' and description = 'x'", {("state",): "full"}, None),
        ("not description = 'x'", {}, None),
        ("description is null", {}, None),
        ("coalesce(description, 'x') = 'x'", {}, None),
        ("description is distinct from 'x'", {}, None),
        ("case when settled then true else true end", {}, None),
        ("description is null", {("description",): "y"}, False),
        ("state in ('full', 'init')", {("state",): "down"}, False),
    ],
)
def test_what_is_not_known_stays_unknown(text: str, row: dict[tuple[str, ...], str], answer: bool | None) -> None:
    assert holds(parse(text, SCHEMA), [row]) == [answer]


WORDS = [
    "state",
    "settled",
    "since",
    "before.",
    "'",
    "full'",
    "(",
    ")",
    "and",
    "or",
    "not",
    "=",
    "like",
    "--",
    ";",
    "1",
    ",",
]


@given(st.lists(st.sampled_from(WORDS), max_size=12).map(" ".join) | st.text(max_size=40))
@example("state = '\x00'")
@example("\\")
@example("ࠀ!")
def test_any_text_is_a_predicate_or_refused(text: str) -> None:
    try:
        predicate = parse(text, SCHEMA)
    except PredicateError as error:
        assert 0 <= error.offset <= max(len(text), 1)
    else:
        assert holds(predicate, [{}]) in ([None], [True], [False])
