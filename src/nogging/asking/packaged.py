"""Whether a package holds what it says: every file in it is loaded, and the samples of its readers are read."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from pathlib import Path

from nogging.asking.findings import asked
from nogging.dialects.declared import dialects
from nogging.errors import NoggingError
from nogging.inventory import Device, Inventory
from nogging.judging.expectations import load_expectations
from nogging.judging.listing import planned
from nogging.packages import EXPECTATIONS, INTENTS, READERS, RULES, Package, lacks
from nogging.reading.reader import load_reader
from nogging.reading.samples import read_sample, samples


def problems(
    package: Package, every: list[Package], others_load: Mapping[str, Callable[[Path], object]] | None = None
) -> list[str]:
    """What is wrong with a package, each with its place; nothing where all is well. `others_load` are parts of it that
    others know how to load."""
    others = [other for other in every if other.name == package.name and other is not package]
    told = [f"there is another '{package.name}': {other.folder}" for other in others]
    return [*told, *(f"it needs {lacking}" for lacking in lacks(package, every)), *_wrong(package, others_load or {})]


def _wrong(package: Package, others_load: Mapping[str, Callable[[Path], object]]) -> Iterator[str]:
    if not (package.folder / "README.md").is_file():
        yield f"{package.folder}: there is no README.md"
    if not any((package.folder / part).is_dir() for part in (READERS, EXPECTATIONS, RULES, INTENTS)):
        yield f"{package.folder}: there is nothing in it: no {READERS}, no {EXPECTATIONS}, no {RULES}, no {INTENTS}"
    yield from _readers(package)
    for file in package.files(EXPECTATIONS):
        yield from _tried(load_expectations, file, planned(_anything(package)))
    for file in package.files(RULES):
        yield from _tried(asked, file, planned(_anything(package)))
    for part, loads in others_load.items():
        for file in package.files(part):
            yield from _tried(loads, file)


def _readers(package: Package) -> Iterator[str]:
    own = (package.folder / READERS,)
    known = dialects(own)
    for file in package.readers:
        if file.parent.name not in known:
            yield f"{file}: there is no dialect '{file.parent.name}' (known: {', '.join(known)})"
            continue
        yield from _tried(load_reader, file, own)
        beside = [path for path in samples(file.parent) if path.name.split(".")[0] == file.stem]
        if not beside:
            yield f"{file}: there is no sample beside it ({file.stem}.answer and {file.stem}.records.yaml)"
        for sample in beside:
            yield from _tried(_sample, sample)


def _sample(sample: Path) -> None:
    wanted, read = read_sample(sample)
    if wanted != read:
        differ = [name for name in wanted if wanted[name] != read[name]]
        raise NoggingError(f"{sample}: it is not read as its records file says: {', '.join(differ)} differ")


def _tried(what: Callable[..., object], *given: object) -> Iterator[str]:
    try:
        what(*given)
    except NoggingError as error:
        yield str(error)


def _anything(package: Package) -> Inventory:
    """A device with the labels that the package says its expectations speak of."""
    device = Device("any", "192.0.2.1", "linux", labels=dict.fromkeys(package.model.needs.labels, ""))
    return Inventory((device,), everyone=(device,))
