"""`make bench`: every figure as a ratio to a named reference that ran in the same minute.

`python -m bench reading fleets` measures those parts alone.
"""

from __future__ import annotations

import sys

from bench import (
    browsing,
    capturing,
    changing,
    daemons,
    fleet,
    fleets,
    judging,
    keeping,
    memory,
    reading,
    serving,
    spreading,
    starting,
    storing,
)

PARTS = {
    part.__name__.rpartition(".")[2]: part
    for part in (
        starting,
        reading,
        fleets,
        judging,
        changing,
        browsing,
        capturing,
        keeping,
        serving,
        storing,
        fleet,
        daemons,
        spreading,
    )
}


def main(wanted: list[str]) -> None:
    if unknown := set(wanted) - set(PARTS):
        sys.exit(f"no part of the bench is called {', '.join(sorted(unknown))}; there are {', '.join(PARTS)}")
    print("| what | reference | ratio | single runs |")
    print("| --- | --- | ---: | --- |")
    for name in wanted or PARTS:
        for figure in PARTS[name].figures():
            print(f"| {figure.what} | {figure.reference} | {figure.ratio:.2f} | {figure.spread} |", flush=True)
    if wanted:
        return
    print("\n| what | before, MB | at most, MB |")
    print("| --- | ---: | ---: |")
    for peak in memory.peaks():
        print(f"| {peak.what} | {peak.idle:.0f} | {peak.peak:.0f} |", flush=True)


if __name__ == "__main__":
    main(sys.argv[1:])
