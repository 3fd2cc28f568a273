"""Packages: what one colleague made and another uses, readers, expectations, rules and intents, under one
name.

A package is a folder with a `package.yaml`; there are `readers/`, `expectations/`, `rules/` and `intents/` in it, as
far as it has them. It is found in a folder that the environment names (`NOGGING_PACKAGES`, parted as a search path is),
in a folder `packages/` beside the file that speaks of it, or in an installed Python distribution that declares it under
the entry points `nogging.packages`, with a Python package as the value. Nothing in one is run, and no Python of it is
imported. It takes part only where a file names it.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from dataclasses import dataclass
from importlib.metadata import entry_points
from importlib.util import find_spec
from pathlib import Path
from typing import Annotated

from pydantic import Field

from nogging.errors import QuestionError, nearest
from nogging.files import NotEmpty, Strict, load
from nogging.release import VERSION

ENVIRONMENT, GROUP, BESIDE, DECLARED = "NOGGING_PACKAGES", "nogging.packages", "packages", "package.yaml"
READERS, EXPECTATIONS, RULES, INTENTS = "readers", "expectations", "rules", "intents"
_NO_READERS = ("dialect.yaml", "words.yaml")
_NUMBERS = r"[0-9]+(\.[0-9]+){0,3}"
Version = Annotated[str, Field(pattern=f"^{_NUMBERS}$")]
AtLeast = Annotated[str, Field(pattern=f"^>={_NUMBERS}$")]


class NeedsModel(Strict):
    """What a package needs."""

    nogging: AtLeast = ">=0"
    """Which release of Nogging, at least. As `">=0.1"`."""
    packages: dict[str, AtLeast] = Field(default_factory=dict)
    """Other packages, each in which version at least. As `{berths: ">=1.2"}`."""
    labels: tuple[str, ...] = ()
    """The labels that its expectations speak of. As `[tier, site]`."""


class PackageModel(Strict):
    """A package: its name, its version, and what it needs."""

    name: Annotated[str, Field(pattern="^[a-z][a-z0-9-]{0,63}$")]
    """The name by which files speak of it. As `berths`."""
    version: Version
    """Its version; what breaks files that use it raises the first number. As `"1.2.0"`."""
    about: Annotated[str, NotEmpty]
    """What it is for, in a sentence. As `Names and berths of the ferries' devices`."""
    needs: NeedsModel = NeedsModel()
    """What it needs. As `{nogging: ">=0.1", labels: [tier]}`."""


@dataclass(frozen=True)
class Package:
    """A package where it was found."""

    model: PackageModel
    folder: Path
    found_by: str

    @property
    def name(self) -> str:
        return self.model.name

    def files(self, part: str) -> list[Path]:
        """The YAML files of a part of it, in the order of their names."""
        return [path for path in sorted((self.folder / part).glob("*.yaml")) if path.is_file()]

    @property
    def readers(self) -> list[Path]:
        """The files of its readers, those of each dialect together."""
        paths = sorted((self.folder / READERS).glob("*/*.yaml"))
        return [path for path in paths if path.name not in _NO_READERS and not path.name.endswith(".records.yaml")]


def packages(beside: Path | None = None) -> list[Package]:
    """All packages that can be found, in the order in which they are looked for. `beside` is a file that speaks of
    them. Raises `FileError` for a mistake in the declaration of one."""
    folders: dict[Path, str] = {}
    for folder, how in _places(beside):
        folders.setdefault(folder.resolve(), how)
    return [Package(load(folder / DECLARED, PackageModel)[0], folder, how) for folder, how in folders.items()]


def package(name: str, beside: Path | None = None) -> Package:
    """The package of a name, as `chosen` of all that can be found."""
    return chosen(name, packages(beside))


def file_in_package(name: str, part: str, beside: Path) -> Path | None:
    """`NAME/FILE.yaml` in a part of a package; None where there is no package of that name. `QuestionError` for a file
    that it has not, and where the package cannot be used."""
    named, _, file = name.partition("/")
    every = packages(beside)
    if not any(package.name == named for package in every):
        return None
    mine = {path.name: path for path in chosen(named, every).files(part)}
    if file not in mine:
        raise QuestionError(f"the package '{named}' has no {part} '{file}'{nearest(file, mine)}")
    return mine[file]


def chosen(name: str, every: list[Package]) -> Package:
    """The package of a name. Raises `QuestionError` where there is none, where there are two, and where it needs what
    is not there."""
    matching = [package for package in every if package.name == name]
    if not matching:
        raise QuestionError(f"there is no package '{name}'{nearest(name, [package.name for package in every])}")
    if len(matching) > 1:
        raise QuestionError(
            f"there are {len(matching)} packages '{name}': {', '.join(str(package.folder) for package in matching)}"
        )
    lacking = lacks(matching[0], every)
    if lacking:
        raise QuestionError(f"the package '{name}' needs what is not there: {'; '.join(lacking)}")
    return matching[0]


def lacks(package: Package, every: list[Package]) -> list[str]:
    """What a package needs of others and is not there."""
    told = (
        []
        if _reaches(VERSION, package.model.needs.nogging)
        else [f"nogging {package.model.needs.nogging}, this is {VERSION}"]
    )
    there = {other.name: other.model.version for other in every}
    for name, wanted in package.model.needs.packages.items():
        if name not in there:
            told.append(f"the package '{name}' {wanted}")
        elif not _reaches(there[name], wanted):
            told.append(f"the package '{name}' {wanted}, there is {there[name]}")
    return told


def _reaches(version: str, wanted: str) -> bool:
    return _numbers(version) >= _numbers(wanted)


def _numbers(text: str) -> tuple[int, ...]:
    """The numbers of a version, without zeros at its end: 1.0 is 1."""
    return tuple(int(part) for part in re.sub(r"(\.0+)+$", "", text.removeprefix(">=")).split("."))


def _places(beside: Path | None) -> Iterator[tuple[Path, str]]:
    for named in os.environ.get(ENVIRONMENT, "").split(os.pathsep):
        if named:
            yield from ((place, ENVIRONMENT) for place in _within(Path(named).expanduser()))
    if beside is not None:
        yield from ((place, "beside the file") for place in _within(beside.parent / BESIDE))
    for entry in entry_points(group=GROUP):
        folder = _installed(entry.value)
        if folder is not None:
            yield folder, "installed"


def _within(folder: Path) -> list[Path]:
    """A package, or those in a folder of several."""
    if (folder / DECLARED).is_file():
        return [folder]
    return sorted(path.parent for path in folder.glob(f"*/{DECLARED}"))


def _installed(module: str) -> Path | None:
    """The folder of a Python package that is not imported for it; only one at the top can be found so."""
    if not module.isidentifier():
        return None
    spec = find_spec(module)
    places = list(spec.submodule_search_locations or ()) if spec is not None else []
    return next((Path(place) for place in places if (Path(place) / DECLARED).is_file()), None)
