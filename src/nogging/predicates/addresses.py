"""Addresses and prefixes in SQL: what contains what, without an extension of the database.

Each address or prefix has a first and a last address. Written in hexadecimal digits of one width, after the digit of
the family, these sort as the addresses do, so that "lies within" is two comparisons of text. What is no address has
neither, and whatever is asked of it is unknown. All of it is macros: the database computes whole columns at once.
"""

from __future__ import annotations

import socket
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import duckdb

_PRIVATE = ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "fc00::/7")
"""RFC 1918, RFC 4193."""

_OCTET = r"(25[0-5]|2[0-4]\d|1?\d?\d)"
_IS_IPV4 = rf"regexp_full_match(a, '{_OCTET}\.{_OCTET}\.{_OCTET}\.{_OCTET}(/(\d|[12]\d|3[0-2]))?')"
_IS_IPV6 = r"regexp_full_match(a, '[0-9a-f:]*:[0-9a-f:]*(/(\d|\d\d|1[01]\d|12[0-8]))?')"
_PART = "TRY_CAST(split_part(split_part(a, '/', 1), '.', {}) AS UBIGINT)"
_LENGTH = "coalesce(TRY_CAST(nullif(split_part(a, '/', 2), '') AS INTEGER), {})"
_DIGITS = "'0123456789abcdef'"
_GROUPS = "[lpad(x, 4, '0') for x in string_split({}, ':') if x <> '']"

_MACROS = (
    f"ipv4_value(a) AS {' + '.join(f'({_PART.format(n)} << {32 - 8 * n})' for n in range(1, 5))}",
    f"ipv4_hosts(a) AS ((1::UBIGINT << (32 - {_LENGTH.format(32)})) - 1)",
    # the groups of an IPv6 address, those that '::' stands for included (RFC 4291, 2.2)
    f"groups_of(part) AS array_to_string({_GROUPS.format('part')}, '')",
    "ipv6_filled(head, tail) AS head || repeat('0', 32 - length(head) - length(tail)) || tail",
    "ipv6_digits(host) AS CASE WHEN contains(host, '::') "
    "THEN ipv6_filled(groups_of(split_part(host, '::', 1)), groups_of(split_part(host, '::', 2))) "
    "ELSE groups_of(host) END",
    # the digits up to the length of the prefix, the one in which it ends, and the rest
    f"digit_of(digits, n) AS strpos({_DIGITS}, digits[n // 4 + 1]) - 1",
    f"ipv6_first(digits, n) AS rpad(left(digits, n // 4) || CASE WHEN n % 4 > 0 THEN "
    f"{_DIGITS}[(digit_of(digits, n) & (15 - (15 >> (n % 4)))) + 1] ELSE '' END, 32, '0')",
    f"ipv6_last(digits, n) AS rpad(left(digits, n // 4) || CASE WHEN n % 4 > 0 THEN "
    f"{_DIGITS}[(digit_of(digits, n) | (15 >> (n % 4))) + 1] ELSE '' END, 32, 'f')",
    f"first_address(a) AS CASE WHEN {_IS_IPV4} THEN printf('4%08x', ipv4_value(a) - (ipv4_value(a) & ipv4_hosts(a))) "
    f"WHEN {_IS_IPV6} THEN '6' || ipv6_first(ipv6_digits(split_part(a, '/', 1)), {_LENGTH.format(128)}) END",
    f"last_address(a) AS CASE WHEN {_IS_IPV4} THEN printf('4%08x', ipv4_value(a) | ipv4_hosts(a)) "
    f"WHEN {_IS_IPV6} THEN '6' || ipv6_last(ipv6_digits(split_part(a, '/', 1)), {_LENGTH.format(128)}) END",
    "within(a, b) AS first_address(b) <= first_address(a) AND last_address(a) <= last_address(b)",
    "covers(a, b) AS first_address(a) <= first_address(b) AND last_address(b) <= last_address(a)",
    f"family(a) AS CASE WHEN {_IS_IPV4} THEN 'ipv4' WHEN {_IS_IPV6} THEN 'ipv6' END",
    f"mask_length(a) AS CASE WHEN {_IS_IPV4} THEN {_LENGTH.format(32)} WHEN {_IS_IPV6} THEN {_LENGTH.format(128)} END",
    "subnet(a, n) AS first_address(a || '/' || n) || '/' || n",
    f"is_private(a) AS {' OR '.join(f'within(a, {prefix!r})' for prefix in _PRIVATE)}",
)


def is_network(text: str) -> bool:
    """Whether a text is an address or a prefix."""
    host, _, tail = text.partition("/")
    family, width = (socket.AF_INET6, 128) if ":" in host else (socket.AF_INET, 32)
    try:
        socket.inet_pton(family, host)
    except (OSError, ValueError):
        return False
    return not tail or (tail.isascii() and tail.isdigit() and int(tail) <= width)


def register(connection: duckdb.DuckDBPyConnection) -> None:
    """Teaches a connection to the database the functions of addresses."""
    connection.execute("; ".join(f"CREATE MACRO {macro}" for macro in _MACROS))
