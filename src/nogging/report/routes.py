"""Routing questions answered in text: which route an address takes, and the ways of a packet."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from rich.text import Text

from nogging.report.cleaning import clean
from nogging.routing.follow import OPEN, WELL, FollowedWay
from nogging.routing.lookup import Match
from nogging.routing.traced import Traced

STYLES = {True: "green", False: "red", None: "yellow"}


def matches(match_of: Mapping[str, Match | None], doubts: Mapping[str, str]) -> Iterator[Text]:
    """One line a hop: the device, the route, and where it leads."""
    names = max((len(name) for name in match_of), default=0)
    routes = {name: f"{match.prefix}  {match.source_protocol}" if match else "" for name, match in match_of.items()}
    width = max((len(text) for text in routes.values()), default=0)
    for name, match in match_of.items():
        if match is None:
            yield Text(
                f"{clean(name):<{names}}  {doubts.get(name) or 'no route'}", style="yellow" if name in doubts else "red"
            )
            continue
        if name in doubts:
            yield Text(f"{clean(name):<{names}}  perhaps not: {clean(doubts[name])}", style="yellow")
        for n, hop in enumerate(match.hops):
            yield Text(f"{clean(name) if n == 0 else '':<{names}}  {routes[name] if n == 0 else '':<{width}}  {hop}")


def well(way: FollowedWay) -> bool | None:
    """Whether a way arrives; None where that is not proven."""
    return True if way.ending in WELL else (None if way.ending in OPEN else False)


def ways(source: str, target: str, followed: list[FollowedWay]) -> Iterator[Text]:
    """Each way as the devices that it passes, each with the route that it takes there."""
    yield Text(f"{clean(source)} to {clean(target)}: {len(followed)} way{'s' * (len(followed) != 1)}", style="bold")
    names = max((len(step.device) for way in followed for step in way.steps), default=0)
    routes = max((len(step.match.prefix) for way in followed for step in way.steps if step.match), default=0)
    for way in followed:
        for step in way.steps:
            if step.match is not None:
                prefix = f"{step.match.prefix:<{routes}}"
                yield Text(f"  {clean(step.device):<{names}}  {prefix}  {step.match.source_protocol:<6}  {step.hop}")
        last = way.steps[-1].device if way.steps[-1].match is None else ""
        told = f"{way.ending}: {way.why}" if way.why else str(way.ending)
        yield Text(f"  {clean(last):<{names}}  {clean(told)}", style=STYLES[well(way)])
        if way is not followed[-1]:
            yield Text("")


def beside(traced: Traced) -> Iterator[Text]:
    """What was traced, below the ways that the tables promise: each hop, whose it is, and whether a way goes there."""
    said = {True: "as the tables promise", False: "not as the tables promise", None: "the tables cannot tell"}
    arrived = "" if traced.arrived else ", and did not arrive"
    yield Text(f"traced: {said[traced.agrees]}{arrived}", style=f"bold {STYLES[traced.agrees and traced.arrived]}")
    names = max((len(", ".join(hop.devices)) for hop in traced.hops), default=0)
    for hop in traced.hops:
        whose, by = clean(", ".join(hop.devices)), ", ".join(hop.addresses) or "nobody answered"
        told = "" if hop.agrees is not False else "  no way of the tables goes there"
        yield Text(f"  {hop.n:>2}  {whose:<{names}}  {by}{told}", style="red" if told else "")
