"""Text into canonical values: the one place that knows how a value may be written.

Lower-case MAC addresses with colons, prefixes with host bits cleared, bit/s, octets, seconds, UTC. A value
that does not fit its field raises `ValueError` with the reason; it never becomes a wrong number.

A timer is told in many ways (`00:12:33`, `2w3d`, `1d02h03m`, `57.373s`, a date). It becomes the moment at which it
began, together with the resolution that its text had: `2w3d` may be off by a day, `00:12:33` by a second.
"""

from __future__ import annotations

import ipaddress
import re
import socket
from collections.abc import Callable
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from typing import Any

from nogging.records.field import Field, Type

ReadMoment = tuple[datetime, float]
"""A moment and the resolution of its text in seconds."""

EPOCH, TIME_OF_DAY, MINUTES, MASK, CLASS = "s since 1970", "time of day", "min:s", "mask", "class"
MARKS, HOURS, HOP, MONTH_FIRST = "marks", "h:min", "hop", "month/day/year"
UNITS: dict[str, tuple[str, float]] = {
    EPOCH: ("s", 1),
    TIME_OF_DAY: ("s", 1),
    MONTH_FIRST: ("s", 60),
    "bit/s": ("bit/s", 1),
    "kbit/s": ("bit/s", 1e3),
    "Mbit/s": ("bit/s", 1e6),
    "Gbit/s": ("bit/s", 1e9),
    "octet": ("octet", 1),
    "kB": ("octet", 1e3),
    "KiB": ("octet", 1024),
    "MiB": ("octet", 1024**2),
    "s": ("s", 1),
    "ms": ("s", 1e-3),
    "us": ("s", 1e-6),
    "ns": ("s", 1e-9),
    "min": ("s", 60),
    MINUTES: ("s", 1),
    HOURS: ("s", 60),
    "h": ("s", 3600),
    "d": ("s", 86400),
    MASK: ("bit", 1),
    CLASS: ("", 1),
    MARKS: ("", 1),
    HOP: ("", 1),
}
"""Units that a pattern may name: the canonical unit each is turned into, and the factor."""

_LINK = re.compile(r"[A-Za-z0-9_.:/-]{0,32}")
"""An interface, as it stands behind a link-local address (RFC 4007, section 11)."""
_CLOCK = re.compile(r"(?:(\d+)(?:\s*days?,\s+|d))?(\d+):(\d\d):(\d\d)")
_SPAN = re.compile(
    r"(\d+(?:\.\d+)?)\s*(?:(years?|weeks?|days?|hours?|hrs?|minutes?|mins?|seconds?|secs?|msecs?|ms|[ywdhms])"
    r"(?:\(s\))?)[,:]? *(?:and )?"
)
_TIME_OF_DAY = re.compile(r"(\d\d):(\d\d)(?::(\d\d)(?:\.(\d{1,6}))?)?")
_DATE = re.compile(r"(\d{4})[-/](\d\d)[-/](\d\d)[T ](\d\d):(\d\d):(\d\d)(\.\d+)?(Z|[+-]\d\d(?::?\d\d)?)?")
_SECONDS = {"y": 31536000.0, "w": 604800.0, "d": 86400.0, "h": 3600.0, "m": 60.0, "s": 1.0, "ms": 0.001}
_TRUE_WORDS = frozenset({"true", "yes", "on", "enabled"})
_FALSE_WORDS = frozenset({"false", "no", "off", "disabled"})
MOST = 2**63 - 1


def integer(text: str) -> int:
    """A whole number; thousands may be set apart by commas."""
    digits = text.replace(",", "") if "," in text else text
    if not digits.isascii() or not digits.removeprefix("-").isdigit():
        raise ValueError(f"'{text}' is not a whole number")
    value = int(digits) if len(digits) < 21 else MOST + 1
    if abs(value) > MOST:
        raise ValueError(f"'{text}' does not fit 64 bits")
    return value


def number(text: str) -> float:
    if not re.fullmatch(r"[-+]?\d+(\.\d*)?([eE][-+]?\d+)?", text, re.ASCII):
        raise ValueError(f"'{text}' is not a number")
    return float(text)


_RATE = re.compile(r"(?:a-)?(\d{1,9}(?:\.\d{1,9})?) ?([kKMGT]|m(?=bps))(?:b|bit|bits)?(?:/s|ps)?", re.ASCII)
_MAGNITUDES = {"k": 10**3, "m": 10**6, "g": 10**9, "t": 10**12}


def bit_rate(text: str) -> int:
    """A bandwidth in bit/s, as a number of them or short (`20G`, `a-2.5G`, `100M`, `10 Gb/s`)."""
    short = _RATE.fullmatch(text)
    return round(float(short[1]) * _MAGNITUDES[short[2].lower()]) if short else integer(text)


def boolean(text: str) -> bool:
    word = text.lower()
    if word in _TRUE_WORDS or word in _FALSE_WORDS:
        return word in _TRUE_WORDS
    raise ValueError(f"'{text}' is neither yes nor no")


@lru_cache(maxsize=65536)
def address(text: str) -> str:
    """An IPv4 or IPv6 address in its canonical text (RFC 5952); an area number becomes its dotted form."""
    if text.isdigit() and text.isascii() and len(text) < 11:
        return str(ipaddress.IPv4Address(int(text)))
    with suppress(OSError):
        family = socket.AF_INET6 if ":" in text else socket.AF_INET
        canonical = socket.inet_ntop(family, socket.inet_pton(family, text))
        if family == socket.AF_INET or "." not in canonical:  # an IPv4 address within is written otherwise
            return canonical
    try:
        return str(ipaddress.ip_address(plain(text)))
    except ValueError:
        raise ValueError(f"'{text}' is not an IP address") from None


def with_one_spelling(record: dict[str, Any], name: str) -> None:
    """Gives a field that holds an IPv6 address its canonical text; a name, or what was cut, stays as it is."""
    if ":" in (record.get(name) or ""):
        with suppress(ValueError):
            record[name] = address(record[name])


def plain(text: str) -> str:
    """An address, with or without the length of its prefix, that somebody wrote, where it is fit to stand in a command:
    the zone behind one may hold anything at all, the end of a line included. Raises `ValueError`."""
    if not _LINK.fullmatch(text.partition("%")[2]) or not text.isprintable():
        raise ValueError(f"'{text}' is not an IP address")
    return text


def as_number(text: str) -> int:
    """The number of an autonomous system, with a dot between its halves or without (RFC 5396)."""
    high, dot, low = text.partition(".")
    if not dot:
        return integer(text)
    if not (high.isdecimal() and low.isdecimal() and int(high) < 65536 and int(low) < 65536):
        raise ValueError(f"'{text}' is not the number of an autonomous system")
    return int(high) * 65536 + int(low)


def is_address(text: str) -> bool:
    """Whether a text is an address, and nothing more."""
    try:
        ipaddress.ip_address(text)
    except ValueError:
        return False
    return True


def prefix(text: str) -> str:
    """An IPv4 or IPv6 prefix with its host bits cleared; a bare address is its own whole length."""
    if text == "default":
        return "0.0.0.0/0"
    head, _, tail = text.partition("/")
    if len(tail) < 3 and tail.isdigit() and "." in head:
        return _prefix4(head, int(tail), text)
    try:
        return str(ipaddress.ip_network(text, strict=False))
    except ValueError:
        raise ValueError(f"'{text}' is not a prefix") from None


def classful_prefix(text: str) -> str:
    """A prefix that has no length where it is the whole network of its class (RFC 791, 3.2), or the way to all."""
    if "/" in text or ":" in text:
        return prefix(text)
    head = text.partition(".")[0]
    first = int(head) if re.fullmatch("[0-9]{1,3}", head) else 0
    length = 0 if text == "0.0.0.0" else 8 if first < 128 else 16 if first < 192 else 24
    return prefix(f"{text}/{length}")


_SHORT = {"s": "seconds", "m": "minutes", "h": "hours", "d": "days", "w": "weeks"}


def short_span(text: str, units: str, digits: int) -> timedelta | None:
    """A length of time in one word, as people write it (`90m`): a whole number of so many digits, at most, and one of
    these units; None for what is none."""
    match = re.fullmatch(rf"(\d{{1,{digits}}})([{units}])", text, re.ASCII)
    return timedelta(**{_SHORT[match[2]]: int(match[1])}) if match else None


DAYTIME = r"([01][0-9]|2[0-3]):([0-5][0-9])"


def after_midnight(text: str) -> timedelta | None:
    """How long after midnight a time is that is written `06:00`; None for what is none."""
    match = re.fullmatch(DAYTIME, text)
    return timedelta(hours=int(match[1]), minutes=int(match[2])) if match else None


def since_midnight(at: datetime) -> timedelta:
    """How much of its day a moment has behind it."""
    return at - at.replace(hour=0, minute=0, second=0, microsecond=0)


def mask_length(text: str) -> int:
    """The length of a prefix that a mask stands for (RFC 950), with dots or in hexadecimal digits."""
    dotted = str(ipaddress.IPv4Address(int(text, 16))) if re.fullmatch(r"0x[0-9a-f]{8}", text) else text
    with suppress(ValueError):
        network = ipaddress.IPv4Network(f"0.0.0.0/{dotted}")
        if str(network.netmask) == dotted:
            return network.prefixlen
    raise ValueError(f"'{text}' is not a mask")


def _prefix4(head: str, length: int, text: str) -> str:
    """The common case, several times faster than the general way."""
    try:
        bits = int.from_bytes(socket.inet_pton(socket.AF_INET, head), "big")
    except OSError:
        raise ValueError(f"'{text}' is not a prefix") from None
    if length > 32 or not text.endswith(f"/{length}"):
        raise ValueError(f"'{text}' is not a prefix")
    host = (1 << (32 - length)) - 1
    return text if not bits & host else f"{socket.inet_ntoa((bits & ~host).to_bytes(4, 'big'))}/{length}"


_MAC = re.compile(r"(?:[0-9a-f]{2}:){5}[0-9a-f]{2}")
_SHORT_MAC = re.compile(r"(?:[0-9a-f]{1,2}[:-]){5}[0-9a-f]{1,2}")


def mac(text: str) -> str:
    """Twelve hexadecimal digits, however they are parted, as lower case with colons; some leave out leading zeros."""
    if _MAC.fullmatch(text):
        return text
    if _SHORT_MAC.fullmatch(text.lower()):
        return ":".join(octet.zfill(2) for octet in re.split("[:-]", text.lower()))
    digits = re.sub(r"[.:-]", "", text).lower()
    if not re.fullmatch(r"[0-9a-f]{12}", digits):
        raise ValueError(f"'{text}' is not a MAC address")
    return ":".join(digits[n : n + 2] for n in range(0, 12, 2))


_OCTETS = re.compile(r"[0-9a-f]{2}(?::[0-9a-f]{2}){3,31}")


def phys_address(text: str) -> str:
    """An address on a medium (RFC 6991, phys-address): octets in lower case with colons, as many as the medium has; a
    tunnel has the address of its end."""
    if _OCTETS.fullmatch(text.lower()):
        return text.lower()
    with suppress(OSError):
        if text.count(".") == 3:
            return ":".join(f"{octet:02x}" for octet in socket.inet_aton(text))
    return mac(text)


_ISO_SPAN = re.compile(
    r"P(?:(\d+)Y)?(?:(\d+)M)?(?:(\d+)W)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+(?:\.\d+)?)S)?)?"
)
_ISO_SECONDS = (31536000.0, 2592000.0, 604800.0, 86400.0, 3600.0, 60.0, 1.0)


def _iso_span(text: str) -> tuple[float, float]:
    """A duration of ISO 8601; one that counts months or years says no more than those."""
    match = _ISO_SPAN.fullmatch(text)
    if match is None or not any(match.groups()):
        raise ValueError(f"'{text}' is not a length of time")
    total = sum(float(part) * seconds for part, seconds in zip(match.groups(), _ISO_SECONDS, strict=True) if part)
    return total, _ISO_SECONDS[1] if match[1] or match[2] else 1.0


def span(text: str) -> tuple[float, float]:
    """How long something has lasted: seconds, and the resolution of the text in seconds."""
    clock = _CLOCK.fullmatch(text)
    if clock:
        days, hours, minutes, seconds = (int(part or 0) for part in clock.groups())
        return days * 86400.0 + hours * 3600 + minutes * 60 + seconds, 1.0
    if text.startswith("P"):
        return _iso_span(text)
    head, _, tail = text.rpartition(" ")
    if head and re.fullmatch(r"\d+:\d\d:\d\d" if head.endswith(",") else r"\d+:\d\d(:\d\d)?", tail):
        short = tail.count(":") == 1
        return span(head.rstrip(","))[0] + span(f"{tail}:00" if short else tail)[0], 60.0 if short else 1.0
    total, smallest, end = 0.0, 0.0, 0
    for part in _SPAN.finditer(text):
        if part.start() != end:
            break
        unit = _SECONDS["ms" if part[2].startswith("ms") else part[2][0]]
        total, end = total + float(part[1]) * unit, part.end()
        smallest = unit * (10.0 ** -len(part[1].partition(".")[2]))
    if not end or end != len(text):
        raise ValueError(f"'{text}' is not a length of time")
    return total, smallest


_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
_WRITTEN_DATE = re.compile(
    rf"(?:[A-Z][a-z]{{2}},? )?(?:(?P<y0>\d{{4}}) )?(?P<month>{'|'.join(_MONTHS)}) (?P<day>\d\d?)"
    r"(?:,? (?P<y1>\d{4}))? "
    r"(?P<clock>\d\d:\d\d:\d\d(?:\.\d+)?(?:[+-]\d\d(?::?\d\d)?)?)(?: (?P<y2>\d{4}))?"
)
_APART = re.compile(r"(?<=\d) (?=[+-]\d\d(?::?\d\d)?$)")
"""The blank before an offset from UTC."""
_CLOCK_FIRST = re.compile(r"(\d\d:\d\d:\d\d(?:\.\d+)?) (?:[A-Z][a-z]{2} )?([A-Z][a-z]{2} \d\d?,? \d{4})")
ZONES = {
    "UTC": 0, "GMT": 0, "UT": 0, "WET": 0, "WEST": 1, "BST": 1, "CET": 1, "CEST": 2, "EET": 2, "EEST": 3, "MSK": 3,
    "EST": -5, "EDT": -4, "CST": -6, "CDT": -5, "MST": -7, "MDT": -6, "PST": -8, "PDT": -7, "SGT": 8, "HKT": 8,
    "JST": 9, "KST": 9, "AEST": 10, "AEDT": 11, "NZST": 12, "NZDT": 13, "WAT": 1, "CAT": 2, "SAST": 2, "EAT": 3,
    "IDT": 3, "PKT": 5, "WIB": 7, "WITA": 8, "AWST": 8, "ACST": 9.5, "ACDT": 10.5, "ADT": -3, "AKST": -9, "AKDT": -8,
    "HST": -10, "ChST": 10,
}  # fmt: skip
"""Hours ahead of UTC by the name of a zone: those of RFC 5322, 4.3, and others that the time zone database has for one
offset alone, or for one by far the most often. A date with another name is no date."""
_ZONE = re.compile(rf" ({'|'.join(ZONES)})(?= |$)")


def _written_out(text: str, at: datetime, skew: float) -> str:
    """A date with the month's name, as a plain one; without a year it is the last such date before `at`."""
    words = _CLOCK_FIRST.sub(r"\2 \1", " ".join(text.split()))
    date = _WRITTEN_DATE.fullmatch(words)
    if date is None:
        return text
    rest = f"-{_MONTHS.index(date['month']) + 1:02d}-{int(date['day']):02d} {date['clock']}"
    year = date["y0"] or date["y1"] or date["y2"]
    if year is not None:
        return year + rest
    there = at.astimezone(UTC) + timedelta(seconds=skew, days=1)
    return f"{there.year - (rest > there.strftime('-%m-%d %H:%M:%S'))}{rest}"


def moment(text: str, at: datetime, skew: float = 0.0) -> ReadMoment:
    """A date, or how long ago before `at`; a date without a zone is taken as UTC.

    A date was told by a clock that is `skew` seconds ahead of that which told `at`.
    """
    if " +" in text or " -" in text:
        text = _APART.sub("", text)
    named = _ZONE.search(text)
    plain = text[: named.start()] + text[named.end() :] if named else text
    date = _DATE.fullmatch(plain) or _DATE.fullmatch(_written_out(plain, at, skew))
    if date is None:
        seconds, resolution = span(text)
        return _ago(seconds, at), resolution
    zone = "+00:00" if date[8] == "Z" else date[8] or _offset(ZONES[named[1]] if named else 0)
    day, clock = f"{date[1]}-{date[2]}-{date[3]}", f"{date[4]}:{date[5]}:{date[6]}"
    try:
        read_at = datetime.fromisoformat(f"{day}T{clock}{(date[7] or '')[:7].ljust(7, '0') if date[7] else ''}{zone}")
    except ValueError:
        raise ValueError(f"'{text}' is not a date") from None
    read_at = read_at if read_at.tzinfo is UTC else read_at.astimezone(UTC)
    return read_at - timedelta(seconds=skew) if skew else read_at, 10.0 ** -len((date[7] or ".")[1:])


def _offset(hours: float) -> str:
    return f"{'-' if hours < 0 else '+'}{int(abs(hours)):02d}:{int(abs(hours) % 1 * 60):02d}"


def _ago(seconds: float, at: datetime) -> datetime:
    try:
        return at - timedelta(seconds=seconds)
    except OverflowError:
        raise ValueError(f"{seconds:.0f} s ago is before all time") from None


def reader_of(
    field: Field, unit: str, names: dict[str, str], at: datetime, skew: float = 0.0
) -> Callable[[str], object]:
    """The function that turns a text into a value of the field.

    `unit` is the one that the text is in; `names` maps the short spellings of interfaces to the long ones; `at` and
    `skew` are as for `moment`.
    """
    if field.values:
        return lambda text: enumerated(field, text)
    if field.type is Type.MOMENT:
        return _moment_reader(unit, at, skew)
    if unit == MARKS:
        return lambda text: not set(field.mark).isdisjoint(text)
    if unit in _OF_UNITS:
        return _OF_UNITS[unit]
    if unit:
        return _unit_reader(unit, whole=field.type is Type.INTEGER)
    if field.type is Type.INTERFACE:
        return lambda text: _interface_read(text, names)
    if field.shape:
        return lambda text: _shaped(field, text)
    if field.zoned:
        return lambda text: _zoned(text, names)
    return _OF_FIELDS_IN.get((field.type, field.unit)) or _PLAIN[field.type]


def _shaped(field: Field, text: str) -> str:
    if not re.fullmatch(field.shape, text):
        raise ValueError(f"'{text}' is no word for '{field.name}'")
    return text


def _zoned(text: str, names: dict[str, str]) -> str:
    """An address with the interface behind it in the long form of its dialect, or an interface alone."""
    within, sign, zone = text.partition("%")
    if "/" in within and within[0].isalpha() and ":" not in within.partition("/")[0]:
        return interface_spelling(text, names)
    return f"{address(within)}%{interface_spelling(zone, names)}" if sign and ":" in within else text


def _hop(text: str) -> str | None:
    """The address of a next hop, behind which a name may stand; none where an interface stands for it."""
    try:
        return address(text.partition("(")[0])
    except ValueError:
        if re.fullmatch(r"[A-Za-z][\w.-]*", text):
            return None
        raise


_OF_UNITS: dict[str, Callable[[str], object]] = {MASK: mask_length, CLASS: classful_prefix, HOP: _hop}


def _seconds(text: str) -> float:
    """A length of time as seconds, as a number of them or in any of the ways in which devices write one."""
    try:
        return number(text)
    except ValueError:
        return span(text)[0]


_HOURS = re.compile(r"(?:(\d+) days?, +)?(?:(\d+):(\d\d)|(\d+) min),?")


def _hours(text: str) -> float:
    """How long a system has been up, as `uptime` says it: with days before the hours, or but minutes."""
    match = _HOURS.fullmatch(text)
    if match is None:
        raise ValueError(f"'{text}' is not a length of time")
    days, hours, minutes, alone = (int(part or 0) for part in match.groups())
    return days * 86400.0 + hours * 3600 + (minutes + alone) * 60


_SIZE = re.compile(r"(\d+(?:\.\d+)?)([KMGTP])i?B?")


def _octets(text: str) -> float:
    """A size: a number of octets, or of the next unit that makes it short (`1.9Gi`)."""
    match = _SIZE.fullmatch(text)
    return number(match[1]) * 1024.0 ** ("KMGTP".index(match[2]) + 1) if match else number(text)


_OF_FIELDS_IN: dict[tuple[Type, str], Callable[[str], object]] = {
    (Type.NUMBER, "s"): _seconds,
    (Type.NUMBER, "octet"): _octets,
    (Type.INTEGER, "bit/s"): bit_rate,
}


def _moment_reader(unit: str, at: datetime, skew: float) -> Callable[[str], ReadMoment | None]:
    factor = UNITS[unit][1] if unit else 0
    if unit == EPOCH:
        return lambda text: _since_epoch(number(text), skew)
    if unit == TIME_OF_DAY:
        return lambda text: time_of_day(text, at, skew)
    if unit == MONTH_FIRST:
        return lambda text: month_first(text, at, skew)
    if unit == HOURS:
        return lambda text: (_ago(_hours(text), at), factor)
    if unit == MINUTES:
        return lambda text: moment(f"0:{text:0>5}" if re.fullmatch(r"\d?\d:\d\d", text) else text, at, skew)
    if unit:
        return lambda text: (_ago(number(text) * factor, at), factor)
    return lambda text: moment(text, at, skew)


def time_of_day(text: str, at: datetime, skew: float = 0.0) -> ReadMoment:
    """The last time before `at` that a clock showed this (`10:36:27.720`, `10:36`); a date is that date."""
    match = _TIME_OF_DAY.fullmatch(text)
    if match is None:
        day = re.fullmatch(r"\d{4}-\d\d-\d\d", text)
        return (moment(f"{text} 00:00:00", at, skew)[0], 86400.0) if day else moment(text, at, skew)
    there = at + timedelta(seconds=skew)
    try:
        read_at = there.replace(
            hour=int(match[1]),
            minute=int(match[2]),
            second=int(match[3] or 0),
            microsecond=int((match[4] or "0").ljust(6, "0")),
        )
    except ValueError:
        raise ValueError(f"'{text}' is not a time of day") from None
    resolution = 60.0 if match[3] is None else 10.0 ** -len(match[4] or "")
    read_at -= timedelta(days=1) if read_at > there + timedelta(seconds=max(resolution, 1)) else timedelta()
    return read_at - timedelta(seconds=skew), resolution


_MONTH_FIRST = re.compile(r"(\d\d?)/(\d\d?)/(?:20)?(\d\d) (\d?\d:\d\d)(:\d\d)?")


def month_first(text: str, at: datetime, skew: float = 0.0) -> ReadMoment:
    """A date as `11/07/26 03:58`."""
    match = _MONTH_FIRST.fullmatch(" ".join(text.split()))
    if match is None:
        raise ValueError(f"'{text}' is not a date with the month first")
    month, day, year, clock, seconds = match.groups()
    date = f"20{year}-{month:0>2}-{day:0>2} {clock:0>5}{seconds or ':00'}"
    return moment(date, at, skew)[0], UNITS[MONTH_FIRST][1] if seconds is None else 1.0


def _since_epoch(seconds: float, skew: float) -> ReadMoment | None:
    """What a device counts from 1970 in seconds; it says 0 of what never was."""
    try:
        return (datetime.fromtimestamp(seconds, UTC) - timedelta(seconds=skew), UNITS[EPOCH][1]) if seconds else None
    except (OverflowError, OSError, ValueError):
        raise ValueError(f"{seconds:.0f} s after 1970 is after all time") from None


def _unit_reader(unit: str, whole: bool) -> Callable[[str], object]:
    factor = UNITS[unit][1]
    return lambda text: _whole(number(text) * factor) if whole else round(number(text) * factor, 12)


def _whole(value: float) -> int:
    if abs(value) > MOST:
        raise ValueError(f"{value:g} does not fit 64 bits")
    return round(value)


def enumerated(field: Field, text: str) -> str:
    """One of the field's words: lower case, with underscores."""
    word = text.lower().replace("-", "_").replace(" ", "_")
    if word not in field.values:
        raise ValueError(f"'{text}' is none of: {', '.join(field.values)}")
    return word


_NUMBERS = re.compile(r"\d+(?:\.\d+){0,3}")
"""A number, or an address of IPv4: another column of the table."""


def _interface_read(text: str, names: dict[str, str]) -> str:
    if text.endswith(","):
        raise ValueError(f"'{text}' is no name: what comes after it was not expected")
    if _NUMBERS.fullmatch(text):
        raise ValueError(f"'{text}' is no interface")
    return interface_spelling(text, names)


_LETTERS = re.compile(r"[A-Za-z-]*")


def interface_spelling(text: str, names: dict[str, str]) -> str:
    """An interface's name in the long form of its dialect: `Gi0/1` becomes `GigabitEthernet0/1`."""
    letters = _LETTERS.match(text)
    assert letters is not None, "it matches nothing as well"
    short = letters[0]
    return names.get(short.lower(), short) + text[len(short) :].lstrip(" ")


_PLAIN: dict[Type, Callable[[str], object]] = {
    Type.TEXT: lambda text: text,
    Type.INTEGER: integer,
    Type.AS_NUMBER: as_number,
    Type.NUMBER: number,
    Type.BOOLEAN: boolean,
    Type.ADDRESS: address,
    Type.PREFIX: prefix,
    Type.MAC: mac,
    Type.PHYS_ADDRESS: phys_address,
}
