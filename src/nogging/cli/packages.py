"""`nogging packages`"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from nogging.asking.packaged import problems
from nogging.changes.file.sharing import load_intents
from nogging.cli import FAIL, PASS
from nogging.cli.run import Format, FormatOption, print_csv, print_json
from nogging.packages import EXPECTATIONS, INTENTS, READERS, RULES, Package, packages
from nogging.report.cleaning import clean, lines


def command(
    folder: Annotated[Path, typer.Argument(help="Whose packages/ folder is looked into as well.")] = Path(),
    format: FormatOption = Format.TEXT,
) -> int:
    """The packages of readers, expectations, rules and intents that can be found, and whether each holds what it says.

    Exit status 1 where something is wrong with one, or two have the same name.
    """
    every = packages(folder / "any")
    told = [_told(package, problems(package, every, {INTENTS: load_intents})) for package in every]
    if format is Format.JSON:
        print_json(told)
    elif format is Format.CSV:
        print_csv(told, ("name", "version", "about", "folder", "found_by", *_PARTS, "problems"))
    else:
        _print(told)
    return FAIL if any(package["problems"] for package in told) else PASS


_PARTS = (READERS, EXPECTATIONS, RULES, INTENTS)


def _told(package: Package, wrong: list[str]) -> dict[str, Any]:
    return {
        "name": package.name,
        "version": package.model.version,
        "about": package.model.about,
        "folder": str(package.folder),
        "found_by": package.found_by,
        READERS: [f"{file.parent.name}/{file.stem}" for file in package.readers],
        EXPECTATIONS: [f"{package.name}/{file.name}" for file in package.files(EXPECTATIONS)],
        RULES: [file.name for file in package.files(RULES)],
        INTENTS: [f"{package.name}/{file.name}" for file in package.files(INTENTS)],
        "problems": wrong,
    }


def _print(told: list[dict[str, Any]]) -> None:
    if not told:
        print("no packages (NOGGING_PACKAGES, a folder packages/, or installed ones)")
    for package in told:
        print(clean(f"{package['name']} {package['version']}  {package['about']}"))
        print(clean(f"  {package['found_by']}: {package['folder']}"))
        for part in _PARTS:
            if package[part]:
                print(clean(f"  {part}: {', '.join(package[part])}"))
        for wrong in package["problems"]:
            print("  wrong: " + lines(str(wrong)).replace("\n", "\n    "))
