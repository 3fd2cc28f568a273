"""`answer`: what a device said to one command, as far as it belongs to no record: the words of headings, of totals, of
lines that a reader skips. One record an answer; made of whatever answers there are, and read by no reader."""

from nogging.records.field import Field, Kind, Nature, Type

ANSWER = Kind(
    "answer",
    "what an answer says besides its records",
    "our own",
    (Field("command", Type.TEXT, Nature.KEY, "the command that was asked", required=True),),
    of_answers=True,
)
