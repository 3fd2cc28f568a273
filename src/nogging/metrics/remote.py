"""Samples as what Prometheus and its like take by remote write 1.0: series with their labels and values, as a protocol
buffer, compressed with Snappy. Asked for with `pip install 'nogging[remote-write]'`."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import cache
from itertools import islice
from typing import Any

from nogging.errors import QuestionError
from nogging.metrics.points import Point
from nogging.metrics.written import Sample, samples

MOST = 5000
"""Samples that are sent at once."""
HEADERS = {
    "Content-Type": "application/x-protobuf",
    "Content-Encoding": "snappy",
    "X-Prometheus-Remote-Write-Version": "0.1.0",
}
_MESSAGES = {
    "Label": [("name", 1, "TYPE_STRING", ""), ("value", 2, "TYPE_STRING", "")],
    "Sample": [("value", 1, "TYPE_DOUBLE", ""), ("timestamp", 2, "TYPE_INT64", "")],
    "TimeSeries": [("labels", 1, "TYPE_MESSAGE", "Label"), ("samples", 2, "TYPE_MESSAGE", "Sample")],
    "WriteRequest": [("timeseries", 1, "TYPE_MESSAGE", "TimeSeries")],
}
"""The messages: of each its fields, with number, type, and the message that it is made of (those are repeated)."""


def write_requests(points: Iterable[Point]) -> Iterator[bytes]:
    """The requests, a piece at a time; of two records of one key the first is told. Raises `QuestionError` where the
    packages are not installed."""
    fresh = _first_of_each(samples(points))
    while piece := list(islice(fresh, MOST)):
        yield _request(piece)


def _first_of_each(told: Iterable[Sample]) -> Iterator[Sample]:
    seen: set[tuple[Any, ...]] = set()
    for sample in told:
        series = sample.name, sample.at, *sorted(sample.labels.items())
        if series not in seen:
            seen.add(series)
            yield sample


def _request(told: Iterable[Sample]) -> bytes:
    request, compress = _packages()
    message = request()
    for sample in told:
        series = message.timeseries.add()
        for name, value in sorted({"__name__": sample.name, **sample.labels}.items()):
            series.labels.add(name=name, value=value)
        series.samples.add(value=float(sample.value), timestamp=int(sample.at.timestamp() * 1000))
    return bytes(compress(message.SerializeToString()))


@cache
def _packages() -> tuple[Any, Any]:
    """The class of a request, and what compresses it."""
    try:
        from cramjam import snappy
        from google.protobuf import descriptor_pb2, descriptor_pool, message_factory
    except ImportError as error:
        raise QuestionError(f"remote write needs a package: pip install 'nogging[remote-write]' ({error})") from None
    file = descriptor_pb2.FileDescriptorProto(name="remote.proto", package="nogging", syntax="proto3")
    kinds = descriptor_pb2.FieldDescriptorProto
    for name, fields in _MESSAGES.items():
        message = file.message_type.add(name=name)
        for field, number, type_, of in fields:
            label = kinds.LABEL_REPEATED if of else kinds.LABEL_OPTIONAL
            made_of = {"type_name": f".nogging.{of}"} if of else {}
            message.field.add(name=field, number=number, type=kinds.Type.Value(type_), label=label, **made_of)
    pool = descriptor_pool.DescriptorPool()
    pool.Add(file)
    request = message_factory.GetMessageClass(pool.FindMessageTypeByName("nogging.WriteRequest"))
    return request, snappy.compress_raw
