"""The capture directory: manifest, journal, answers, cached records."""

from nogging.captures.capture import Capture
from nogging.captures.writing import Writer

__all__ = ["Capture", "Writer"]
