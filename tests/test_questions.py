"""Every question of docs/questions.yaml, asked as a command, in Python and in SQL: they say the same."""

from __future__ import annotations

import json
import shlex
from pathlib import Path
from typing import Any

import pytest
import yaml

import nogging
from conftest import Change, here

SECTIONS = yaml.safe_load((Path(__file__).parent.parent / "docs" / "questions.yaml").read_text())
QUESTIONS = [one for listed in SECTIONS.values() for one in listed]
ROWS_OF = {"check": "expectations"}


def answered(change: Change, question: dict[str, Any], *more: str) -> str:
    places = {"BEFORE": change.before.folder, "AFTER": change.after.folder, "EXPECTATIONS": change.expectations}
    words = [str(places.get(word, word)) for word in shlex.split(question["command"])]
    status, told, complaints = here(*words, *more)
    assert status == question.get("status", 0), (question["ask"], complaints)
    return told


def of_command(question: dict[str, Any], told: Any) -> list[Any]:
    """The rows of an answer in JSON."""
    name = question["command"].split()[0]
    if name == "about":
        return list(told)
    return list(told[ROWS_OF[name]] if name in ROWS_OF else told)


def test_there_are_forty_of_them() -> None:
    assert len(QUESTIONS) >= 40 and len({one["ask"] for one in QUESTIONS}) == len(QUESTIONS)


@pytest.mark.parametrize("question", QUESTIONS, ids=lambda one: one["ask"])
def test_a_question_has_one_answer(bad: Change, question: dict[str, Any]) -> None:
    assert question["says"] in answered(bad, question)
    listed = of_command(question, json.loads(answered(bad, question, "--format", "json")))
    names = {"nogging": nogging, "before": bad.before, "after": bad.after, "expectations": bad.expectations}
    found = eval(question["python"], names)  # written by us, in the documentation
    if not question["command"].startswith("about"):
        assert len(found) == len(listed), question["ask"]
    if "sql" in question:
        rows = nogging.query(question["sql"], bad.after)
        assert rows.num_rows == len(listed) - ("--alike" in question["command"] and silent(listed)), question["ask"]
    assert listed or question["says"] in ("", "no unread lines")


def silent(listed: list[dict[str, Any]]) -> bool:
    """Whether some devices say nothing, whom only the question knows of."""
    return any(value is None for row in listed for value in row.values())
