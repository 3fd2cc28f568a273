"""Rows for a notebook: as a frame of pandas, where it is installed, and as a table in HTML."""

from __future__ import annotations

import html
from collections.abc import Mapping, Sequence
from importlib import import_module
from typing import Any

from nogging.errors import QuestionError

MOST = 50


def frame(rows: Sequence[Mapping[str, Any]], names: Sequence[str]) -> Any:
    """A `pandas.DataFrame`; `QuestionError` where pandas is not installed."""
    try:
        pandas: Any = import_module("pandas")
    except ImportError:
        raise QuestionError("pandas is not installed: pip install 'nogging[pandas]'") from None
    return pandas.DataFrame(list(rows), columns=list(names))


def in_html(title: str, rows: Sequence[Mapping[str, Any]], names: Sequence[str]) -> str:
    """A heading and a table of the first rows; nothing in a value is taken as HTML."""
    head = "".join(f"<th>{html.escape(name)}</th>" for name in names)
    body = "".join(
        "<tr>" + "".join(f"<td>{_cell(row.get(name))}</td>" for name in names) + "</tr>" for row in rows[:MOST]
    )
    more = f"<p>… and {len(rows) - MOST} more</p>" if len(rows) > MOST else ""
    listed = f"<table><thead><tr>{head}</tr></thead><tbody>{body}</tbody></table>" if rows else ""
    return f"<p><b>{html.escape(title)}</b></p>{listed}{more}"


def _cell(value: Any) -> str:
    return "" if value is None else html.escape(str(value))
