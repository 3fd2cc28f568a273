"""`make bench`: every figure as a ratio to a named reference that ran in the same minute."""

from __future__ import annotations

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

if __name__ == "__main__":
    print("| what | reference | ratio | single runs |")
    print("| --- | --- | ---: | --- |")
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
    ):
        for figure in part.figures():
            print(f"| {figure.what} | {figure.reference} | {figure.ratio:.2f} | {figure.spread} |", flush=True)
    print("\n| what | before, MB | at most, MB |")
    print("| --- | ---: | ---: |")
    for peak in memory.peaks():
        print(f"| {peak.what} | {peak.idle:.0f} | {peak.peak:.0f} |", flush=True)
