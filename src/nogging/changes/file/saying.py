"""What a notice says, in words or as JSON, by the change file's own template or by ours."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from nogging.changes.file.declared import NoticeModel
from nogging.changes.file.templates import filled_here, filled_text

TEXT = """{{ state }}: {{ title }}
{% for one in reasons %}because {{ one }}
{% endfor %}
{% for one in todo %}to do: {{ one }}
{% endfor %}
{{ folder }}
"""


def message(model: NoticeModel, known: Mapping[str, Any]) -> str:
    """What a notice says; `TemplateWrongError` where its template cannot be filled."""
    if model.template is not None:
        return filled_text(model.template, known)
    return json.dumps(dict(known), ensure_ascii=False) if model.http is not None else filled_here(TEXT, known)
