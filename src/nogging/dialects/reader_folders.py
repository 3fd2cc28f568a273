"""Where readers and dialects are looked for: the user's own folders ahead of the library.

A folder is laid out as the library is, `FOLDER/<dialect>/<subject>.yaml`. The environment names some
(`NOGGING_READERS`, parted as a search path is), and an inventory may name one, which a capture of its devices
remembers. A reader of the user's with the name of one of the library's takes its place.

What an inventory or a capture names is handed along as `own` with every question about readers: it belongs to that
inventory or capture alone, and never changes how another is read.
"""

from __future__ import annotations

import os
from pathlib import Path

LIBRARY = Path(__file__).parent.parent / "reading" / "library"
ENVIRONMENT = "NOGGING_READERS"
Own = tuple[Path, ...]
"""The folders that an inventory or a capture names."""


def places(own: Own = ()) -> tuple[Path, ...]:
    """The folders, in the order in which they are looked into."""
    named = [Path(folder).expanduser() for folder in os.environ.get(ENVIRONMENT, "").split(os.pathsep) if folder]
    return (*named, *own, LIBRARY)


def files(folder: str, where: tuple[Path, ...]) -> dict[str, Path]:
    """The YAML files of a dialect by name, each from the first place that has it."""
    paths: dict[str, Path] = {}
    for place in where:
        for name in sorted(_names(place / folder)):
            paths.setdefault(name, place / folder / name)
    return paths


def file(folder: str, name: str, where: tuple[Path, ...]) -> Path | None:
    """One YAML file of a dialect, from the first place that has it."""
    return next((path for place in where if (path := place / folder / name).is_file()), None)


def _names(folder: Path) -> list[str]:
    """The names of a folder's YAML files, but for the records of samples."""
    if not folder.is_dir():
        return []
    with os.scandir(folder) as entries:
        names = [entry.name for entry in entries]
    return [name for name in names if name.endswith(".yaml") and not name.endswith(".records.yaml")]
