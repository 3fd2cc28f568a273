"""Intents that change files share: a step takes those of another file, beside its own or of a package."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

from pydantic import field_validator

from nogging.changes.file.intents import INCLUDE, WrittenIntent, well_formed
from nogging.errors import QuestionError
from nogging.files import NotEmpty, Path_, Source, Strict, load
from nogging.packages import INTENTS, file_in_package


class IntentsModel(Strict):
    """Intents that change files share."""

    intents: Annotated[tuple[WrittenIntent, ...], NotEmpty]
    """What is to be, said for every dialect. As `[{ntp_server: 192.0.2.123}]`."""

    @field_validator("intents")
    @classmethod
    def known(cls, given: tuple[dict[str, Any], ...]) -> tuple[dict[str, Any], ...]:
        if any(INCLUDE in entry for entry in given):
            raise ValueError("intents that are included include no others")
        return well_formed(given)


def load_intents(path: Path) -> tuple[dict[str, Any], ...]:
    """Reads a file of intents; a mistake in it is a `FileError` at its place."""
    return load(path, IntentsModel)[0].intents


def with_included(given: tuple[dict[str, Any], ...], source: Source, where: Path_) -> tuple[dict[str, Any], ...]:
    """The intents of a step, with those of the files that it includes in their place. A mistake in one of these is told
    at the entry that includes it."""
    entries: list[tuple[int, dict[str, Any]]] = []
    for k, entry in enumerate(given):
        if INCLUDE not in entry:
            entries.append((k, entry))
            continue
        entries += [(k, other) for other in load_intents(_file(str(entry[INCLUDE]), source, (*where, k)))]
    source.reorder(where, [k for k, _ in entries])
    return tuple(entry for _, entry in entries)


def _file(name: str, source: Source, where: Path_) -> Path:
    place = source.beside(name, where)
    if place.is_file():
        return place
    try:
        path = file_in_package(name, INTENTS, Path(source.path))
    except QuestionError as error:
        raise source.error(where, str(error)) from None
    if path is None:
        raise source.error(where, f"there is no such file, and no package '{name.partition('/')[0]}' has one")
    return path
