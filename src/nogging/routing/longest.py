"""The longest match of many addresses at once.

Prefixes are nested or apart, never crossed. So the addresses fall into ranges, each of which has one longest prefix:
a range begins where a prefix begins, or after one ends. The ranges are made once, by painting them with the prefixes
from the shortest to the longest; an address is then found in them by bisection. All of it is NumPy on whole columns.
Addresses are compared as their octets, which sort as they do.
"""

from __future__ import annotations

import socket
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from nogging.errors import QuestionError

if TYPE_CHECKING:
    Octets = npt.NDArray[np.uint8]

NOTHING = -1
_FAMILIES = ((socket.AF_INET, 4), (socket.AF_INET6, 16))


class Longest:
    """Prefixes, ready to be asked; of one that is there twice, the first counts. The answer to `n` addresses is `n`
    indexes into the prefixes."""

    def __init__(self, prefixes: Sequence[str]) -> None:
        hosts, lengths = _split(prefixes)
        is_ipv6 = _are_ipv6(hosts)
        of_family = [np.flatnonzero(is_ipv6 == (size == 16)) for _, size in _FAMILIES]
        self.ranges = [_ranges(hosts, lengths, mine, *one) for mine, one in zip(of_family, _FAMILIES, strict=True)]

    def of(self, addresses: Sequence[str]) -> npt.NDArray[np.int64]:
        """For each address the index of the longest prefix that holds it, or -1; `QuestionError` for no address."""
        is_ipv6 = _are_ipv6(addresses)
        longest = np.full(len(addresses), NOTHING, dtype=np.int64)
        for (family, size), (begins, owners) in zip(_FAMILIES, self.ranges, strict=True):
            mine = np.flatnonzero(is_ipv6 == (size == 16))
            if not len(mine) or not len(begins):
                continue
            asked = addresses if len(mine) == len(addresses) else [addresses[n] for n in mine.tolist()]
            at = np.searchsorted(begins, _comparable(_octets(asked, family, size)), side="right") - 1
            longest[mine] = np.where(at >= 0, owners[at], NOTHING)
        return longest


def _are_ipv6(hosts: Sequence[str]) -> npt.NDArray[np.bool_]:
    return np.fromiter([":" in host for host in hosts], dtype=bool, count=len(hosts))


def _split(prefixes: Sequence[str]) -> tuple[list[str], npt.NDArray[np.int64]]:
    """The addresses and the lengths; an address alone is as long as it can be."""
    parts = "/".join(
        prefix if "/" in prefix else f"{prefix}/{128 if ':' in prefix else 32}" for prefix in prefixes
    ).split("/")
    return parts[::2], np.array(parts[1::2] if prefixes else [], dtype="U3").astype(np.int64)


def _octets(hosts: Sequence[str], family: int, size: int) -> Octets:
    """The octets of addresses, a row each."""
    try:
        if family == socket.AF_INET:
            packed = b"".join(map(socket.inet_aton, hosts))
        else:
            packed = b"".join(socket.inet_pton(family, host) for host in hosts)
    except OSError:
        wrong = next((host for host in hosts if not _is_address(host, family)), "")
        raise QuestionError(f"'{wrong}' is not an IP address") from None
    return np.frombuffer(packed, dtype=np.uint8).reshape(-1, size)


def _is_address(host: str, family: int) -> bool:
    try:
        socket.inet_pton(family, host)
    except (OSError, ValueError):
        return False
    return True


def _comparable(octets: Octets) -> npt.NDArray[np.generic]:
    """One value for each row, which compares as the row does."""
    size = octets.shape[1]
    if size == 4:
        return np.ascontiguousarray(octets).view(">u4").ravel().astype(np.uint32)
    return np.ascontiguousarray(octets).view(f"S{size}").ravel()


def _ranges(
    hosts: list[str], lengths: npt.NDArray[np.int64], mine: npt.NDArray[np.int64], family: int, size: int
) -> tuple[npt.NDArray[np.generic], npt.NDArray[np.int64]]:
    """Where each range of addresses begins, and which prefix is the longest there."""
    first = (
        _octets([hosts[n] for n in mine.tolist()], family, size) if len(mine) else np.zeros((0, size), dtype=np.uint8)
    )
    own = lengths[mine]
    after, ends = _after(first, own)
    begins = _once(_comparable(np.concatenate((first, after[ends]))))
    owners = np.full(len(begins), NOTHING, dtype=np.int64)
    low = np.searchsorted(begins, _comparable(first))
    high = np.full(len(mine), len(begins), dtype=np.int64)
    high[ends] = np.searchsorted(begins, _comparable(after[ends]))
    for length in np.unique(own):
        these = np.flatnonzero(own == length)
        these = these[_firsts(low[these])]
        paint = np.zeros(len(begins) + 1, dtype=np.int64)
        # those of one length are apart, so that what is painted once is never painted over
        paint[low[these]] += these + 1
        paint[high[these]] -= these + 1
        painted = np.cumsum(paint[:-1])
        owners = np.where(painted > 0, mine[painted - 1], owners)
    return begins, owners


def _once(values: npt.NDArray[np.generic]) -> npt.NDArray[np.generic]:
    """The different values in their order: by sorting, which is what bisection needs anyway."""
    values = np.sort(values)
    return values[np.concatenate(([True], values[1:] != values[:-1]))] if len(values) else values


def _firsts(values: npt.NDArray[np.int64]) -> npt.NDArray[np.int64]:
    """Where each value first stands."""
    order = np.argsort(values, kind="stable")
    ordered = values[order]
    return order[np.concatenate(([True], ordered[1:] != ordered[:-1]))]


def _after(first: Octets, lengths: npt.NDArray[np.int64]) -> tuple[Octets, npt.NDArray[np.bool_]]:
    """The first address after each prefix, and whether there is one."""
    length = lengths.astype(np.uint64)
    if first.shape[1] == 4:
        last = _whole(first, ">u4").ravel() + (np.uint64(1) << (np.uint64(32) - length))
        return _octets_of(last[:, None], ">u4"), last < 2**32
    high, low = _whole(first, ">u8").T
    is_high = lengths <= 64
    step = np.uint64(1) << ((np.where(is_high, 64, 128).astype(np.uint64) - length) & np.uint64(63))
    step = np.where(lengths == 0, np.uint64(0), step)  # after all addresses comes none
    # a prefix of 64 bits is stepped over by one in the upper half
    below = np.where(is_high, np.uint64(0), low + step)
    carry = ~is_high & (below < step)
    above = high + np.where(is_high, step, carry.astype(np.uint64))
    ends = (lengths > 0) & ~((above < high) | ((above == 0) & carry))
    return _octets_of(np.stack((above, below), axis=1), ">u8"), ends


def _whole(octets: Octets, kind: str) -> npt.NDArray[np.uint64]:
    return np.ascontiguousarray(octets).view(kind).astype(np.uint64)


def _octets_of(values: npt.NDArray[np.uint64], kind: str) -> Octets:
    octets = np.ascontiguousarray(values.astype(kind)).view(np.uint8)
    return octets.reshape(len(values), values.shape[1] * np.dtype(kind).itemsize)
