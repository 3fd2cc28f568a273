"""`nogging schema`"""

from __future__ import annotations

import json
from importlib.resources import files
from typing import Annotated

import typer

from nogging.cli import PASS
from nogging.errors import QuestionError, nearest

_ENDING = ".schema.json"


def command(
    name: Annotated[str | None, typer.Argument(help="Of which sort of file; without it, they are listed.")] = None,
) -> int:
    """The JSON Schema of a sort of file, for an editor that checks it while it is written."""
    known = {
        file.name.removesuffix(_ENDING): file
        for file in files("nogging.schemas").iterdir()
        if file.name.endswith(_ENDING)
    }
    if name is None:
        for called, file in sorted(known.items()):
            print(f"{called:<13} {json.loads(file.read_text(encoding='utf-8'))['description']}")
    elif name not in known:
        raise QuestionError(f"there is no schema of '{name}'{nearest(name, known)}")
    else:
        print(known[name].read_text(encoding="utf-8"), end="")
    return PASS
