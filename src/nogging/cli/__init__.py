"""The command line: one module a command, nothing but arguments and printing.

Starting up is part of the product: the overview is printed from the table below, and only the command that is run
is imported.
"""

from __future__ import annotations

import sys

from nogging.errors import NoggingError, QuestionError, nearest

COMMANDS: dict[str, tuple[str, str, str]] = {
    "demo": ("demo", "[--fault]", "takes a stand-in network through a change"),
    "stand-in": ("stand_in", "[FOLDER]", "runs the stand-in network until stopped"),
    "trust": ("trust", "INVENTORY", "shows and pins the devices' host keys"),
    "probe": ("probe", "INVENTORY", "can each device be reached and read?"),
    "capture": ("capture", "INVENTORY --to DIR", "captures the state of the devices"),
    "ingest": ("ingest", "FOLDER --to DIR", "makes a capture of saved answers"),
    "read": ("read", "FILE --dialect D --command C", "reads one saved answer"),
    "records": ("records", "KIND DIR", "the records of a capture"),
    "query": ("query", '"SELECT …" DIR', "SQL over a capture"),
    "compare": ("compare", "BEFORE AFTER", "the differences between two captures"),
    "lookup": ("lookup", "ADDRESS DIR", "where each device sends an address"),
    "follow": ("follow", "FROM TO DIR", "the path that a packet takes"),
    "check": ("check", "EXPECTATIONS --after DIR", "judges: pass, fail or unproven"),
    "rehearse": ("rehearse", "CHANGE", "what a change would do; changes nothing"),
    "perform": ("perform", "CHANGE", "a change, with proof of how it ended"),
    "conform": ("conform", "CHANGE", "which devices deviate from its intents"),
    "report": ("report", "DIR...", "the page to attach to the ticket"),
    "draft": ("draft", "DIR...", "expectations from a known-good capture"),
    "challenge": ("challenge", "EXPECTATIONS --after DIR", "which faults would go unnoticed"),
}
"""Each command with its module, its arguments and what it does."""

PASS, FAIL, WRONG, UNPROVEN = 0, 1, 2, 3
_STOPPED, _BROKEN_PIPE = 130, 141


def overview() -> str:
    """What `nogging --help` prints."""
    rows = [f"  {f'{name} {arguments}':<34}  {does}" for name, (_, arguments, does) in COMMANDS.items()]
    return (
        "nogging tells whether a change to a network did exactly what it was meant to do.\n\n"
        "  nogging COMMAND …        nogging COMMAND --help        nogging --version\n\n"
        + "\n".join(rows)
        + "\n\nExit status: 0 pass, 1 fail, 3 unproven, 2 the question itself was wrong.\n"
    )


def main() -> None:
    """Runs the command line; ends the process with the command's exit status."""
    sys.exit(_run(sys.argv[1:]))


def _run(arguments: list[str]) -> int:
    if not arguments or arguments[0] in ("--help", "-h", "help"):
        print(overview(), end="")
        return PASS
    if arguments[0] == "--version":
        from nogging import __version__

        print(f"nogging {__version__}")
        return PASS
    try:
        return _command(arguments[0], arguments[1:])
    except NoggingError as error:
        print(f"nogging: {error}", file=sys.stderr)
        return WRONG
    except KeyboardInterrupt:
        resume = "; what arrived is kept, and --resume goes on with it" if arguments[0] == "capture" else ""
        print(f"nogging: stopped{resume}", file=sys.stderr)
        return _STOPPED
    except BrokenPipeError:
        sys.stderr.close()
        return _BROKEN_PIPE


def _command(name: str, arguments: list[str]) -> int:
    if name not in COMMANDS:
        raise QuestionError(f"unknown command '{name}'{nearest(name, COMMANDS)}")
    from importlib import import_module

    from nogging.cli.run import run

    return run(import_module(f"nogging.cli.{COMMANDS[name][0]}").command, name, arguments)
