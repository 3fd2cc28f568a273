"""What a file of expectations would look at, as text."""

from __future__ import annotations

from rich.text import Text

from nogging.judging.listing import ListedExpectation, Listing
from nogging.report.cleaning import clean
from nogging.report.text import TextPage

MOST_NAMED = 6


def lines(listing: Listing, width: int) -> list[Text]:
    """The report of `nogging check --list`."""
    page = TextPage(width)
    page.prose(clean(listing.title), body="bold")
    n = len(listing.expectations)
    page.prose(f"{n} expectation{'s' * (n != 1)}, {listing.devices} devices; {_differences(listing)}")
    for number, expectation in enumerate(listing.expectations, 1):
        page.blank()
        page.prose(f"{number}. {clean(expectation.title)}", body="bold")
        page.prose(clean(expectation.words), indent=3)
        page.prose(_devices(expectation, listing.devices), indent=3, body="dim")
        for name, values in expectation.values.items():
            page.prose(f"{name}: {_varies(values)}", indent=3, body="dim")
        if expectation.blind:
            page.prose(
                f"cannot be proven on {', '.join(expectation.blind)}: no reader gives this", indent=3, body="yellow"
            )
    for what, titles in (("differences that are explained", listing.explained), ("waivers", listing.waivers)):
        if titles:
            page.blank()
            page.prose(what, body="bold")
        for title in titles:
            page.prose(clean(title), indent=3)
    return page.lines


def _differences(listing: Listing) -> str:
    if listing.other is None:
        return "differences are not judged"
    return f"an unexplained difference {'is ignored' if listing.other == 'ignore' else listing.other + 's'}"


def _devices(expectation: ListedExpectation, everyone: int) -> str:
    if not expectation.devices:
        return "on no device"
    if len(expectation.devices) == everyone:
        return f"on all {everyone} devices"
    return f"on {_named(expectation.devices)}"


def _varies(values: object) -> str:
    assert isinstance(values, dict)
    ordered = sorted(values.items(), key=lambda item: -len(item[1]))
    first, *others = ordered
    return "; ".join([first[0], *(f"{value} on {_named(devices)}" for value, devices in others)])


def _named(devices: tuple[str, ...]) -> str:
    more = len(devices) - MOST_NAMED
    return ", ".join(devices[:MOST_NAMED]) + (f" and {more} more" if more > 0 else "")
