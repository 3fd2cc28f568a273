"""Everything that Nogging raises, in one tree.

    NoggingError
    ├── QuestionError          the question itself was wrong: usage, a name that does not exist
    │   └── FileError          a mistake in a file, with its line and column
    ├── CaptureError           a capture directory that cannot be used as one
    └── DeviceError            what went wrong with one device; the others go on
        ├── Unreachable        no connection: refused, no route, no answer
        ├── HostKeyRefused     the host key is not known, or is another one
        ├── LoginRefused       the device did not accept the credential
        ├── Silent             connected, and then nothing came any more
        ├── Lost               the connection ended in the middle
        ├── TooMuch            it sent more than it may
        └── NotUnderstood      it spoke, and not as its dialect would

A message says what happened, where, and what to do next.
"""

from __future__ import annotations

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable


class NoggingError(Exception):
    """The root; catching it catches all that Nogging raises on purpose."""


class QuestionError(NoggingError):
    """The question itself was wrong (exit status 2)."""


class FileError(QuestionError):
    """A mistake in a file: `path:line:column`, the line itself, and a hint where there is one.

    `line` and `column` count from 1.
    """

    def __init__(self, message: str, path: str, line: int = 0, column: int = 0, text: str = "") -> None:
        self.message, self.path, self.line, self.column = message, path, line, column
        place = f"{path}:{line}:{column}" if line else path
        shown = f"\n  {text}\n  {' ' * (column - 1)}^" if text and column else ""
        super().__init__(f"{place}: {message}{shown}")


class CaptureError(NoggingError):
    """A directory that cannot be read, written or understood as a capture (exit status 2)."""


class DeviceError(NoggingError):
    """What went wrong with one device. `outcome` is the word that the manifest keeps."""

    outcome = "failed"


class Unreachable(DeviceError):
    outcome = "unreachable"


class HostKeyRefused(DeviceError):
    outcome = "host_key_refused"


class LoginRefused(DeviceError):
    outcome = "login_refused"


class Silent(DeviceError):
    outcome = "silent"


class Lost(DeviceError):
    outcome = "lost"


class TooMuch(DeviceError):
    outcome = "too_much"


class NotUnderstood(DeviceError):
    outcome = "not_understood"


def nearest(word: str, known: Iterable[str]) -> str:
    """A hint that names the nearest known word, or all of them when they are few, or nothing."""
    import difflib  # only where something is wrong: it is a fifth of the time that `--help` takes

    words = sorted(set(known))
    close = difflib.get_close_matches(word, words, n=1, cutoff=0.6)
    if close:
        return f"; did you mean '{close[0]}'?"
    return f"; known: {', '.join(words)}" if 0 < len(words) <= 24 else ""
