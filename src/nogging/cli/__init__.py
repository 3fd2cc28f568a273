"""The command line: one module a command, nothing but arguments and printing.

Starting up is part of the product: the overview is printed from the table below, and only the command that is run
is imported.
"""

from __future__ import annotations

import gc
import os
import sys

from nogging.errors import NoggingError, QuestionError, nearest
from nogging.report.cleaning import Printed

COMMANDS: dict[str, tuple[str, str, str]] = {
    "demo": ("demo", "[--fault]", "takes a stand-in network through a change"),
    "stand-in": ("stand_in", "[FOLDER]", "runs the stand-in network until stopped"),
    "begin": ("begin", "DEVICE... --to DIR", "a folder for a network, from addresses"),
    "trust": ("trust", "INVENTORY", "shows and pins the devices' host keys"),
    "probe": ("probe", "INVENTORY", "can each device be reached and read?"),
    "capture": ("capture", "INVENTORY --to DIR", "captures the state of the devices"),
    "keep": ("keep", "INVENTORY --to DIR", "captures again and again, as one history"),
    "history": ("history", "DIR", "what a history holds, and is it whole"),
    "serve": ("serve", "DIR", "pages of a history, while it grows"),
    "ingest": ("ingest", "FOLDER --to DIR", "makes a capture of saved answers"),
    "read": ("read", "FILE --dialect D --command C", "reads one saved answer"),
    "about": ("about", "DIR...", "what is there, and what is not well"),
    "records": ("records", "KIND DIR", "the records of a capture"),
    "query": ("query", '"SELECT …" DIR', "SQL over a capture"),
    "compare": ("compare", "BEFORE AFTER", "the differences between two captures"),
    "moments": ("moments", "DIR...", "what happened, in order"),
    "findings": ("findings", "BEFORE AFTER", "likely causes of what is odd"),
    "tell": ("tell", "DIR...", "what is and what changed, in plain words"),
    "metrics": ("metrics", "DIR", "the numbers, for a store or what scrapes"),
    "draw": ("draw", "FIGURE DIR...", "a figure: routes, rates, flaps or fleet"),
    "assist": ("assist", "FOLDER...", "answers an assistant (MCP), read-only"),
    "lookup": ("lookup", "ADDRESS DIR", "where each device sends an address"),
    "follow": ("follow", "FROM TO DIR", "the path that a packet takes"),
    "check": ("check", "EXPECTATIONS --after DIR", "judges: pass, fail or unproven"),
    "rehearse": ("rehearse", "CHANGE", "what a change would do; changes nothing"),
    "perform": ("perform", "CHANGE", "a change, with proof of how it ended"),
    "conform": ("conform", "CHANGE", "which devices deviate from its intents"),
    "report": ("report", "DIR...", "the page to attach to the ticket"),
    "draft": ("draft", "DIR...", "expectations from a known-good capture"),
    "packages": ("packages", "[DIR]", "packages of readers and expectations"),
    "schema": ("schema", "[NAME]", "the schema of a sort of file, for editors"),
    "completion": ("completion", "SHELL", "lets bash, zsh or fish complete"),
    "challenge": ("challenge", "EXPECTATIONS --after DIR", "which faults would go unnoticed"),
}
"""Each command with its module, its arguments and what it does."""

SHARED = "NOGGING_SHARED"  # as in captures.inside, which is too much to import for it
PASS, FAIL, WRONG, UNPROVEN, FAULT = 0, 1, 2, 3, 4
_STOPPED, _BROKEN_PIPE = 130, 141
_COLLECTED_AFTER = 50_000
"""Objects: what is imported stays, and looking through all of it again and again is a good part of starting."""


def overview() -> str:
    """What `nogging --help` prints."""
    rows = [f"  {f'{name} {arguments}':<34}  {does}" for name, (_, arguments, does) in COMMANDS.items()]
    return (
        "nogging tells whether a change to a network did exactly what it was meant to do.\n\n"
        "  nogging COMMAND …        nogging COMMAND --help        nogging --version\n\n"
        + "\n".join(rows)
        + "\n\nExit status: 0 pass, 1 fail, 3 unproven, 2 the question itself was wrong,\n"
        + "4 a fault of Nogging's own.\n"
    )


def main() -> None:
    """Runs the command line; ends the process with the command's exit status.

    What it writes is its owner's alone, unless the environment says otherwise: captures and pages tell of a network.
    """
    if not os.environ.get(SHARED):
        os.umask(0o077)
    gc.set_threshold(_COLLECTED_AFTER)
    behind = sys.stdout, sys.stderr
    sys.stdout, sys.stderr = Printed(sys.stdout), Printed(sys.stderr)
    try:
        sys.exit(_run(sys.argv[1:]))
    finally:
        gc.freeze()  # what ends with the process need not be looked through once more
        sys.stdout, sys.stderr = behind


def _run(arguments: list[str]) -> int:
    if not arguments or arguments[0] in ("--help", "-h", "help"):
        print(overview(), end="")
        return PASS
    if arguments[0] == "--version":
        from nogging import __version__

        print(f"nogging {__version__}")
        return PASS
    if arguments[:2] == ["completion", "--words"]:
        from nogging.cli.completing import lines

        sys.stdout.writelines(f"{line}\n" for line in lines(arguments[2:]))
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
    except OSError as error:
        where = f"{error.filename}: " if error.filename is not None else ""
        print(f"nogging: {where}{error.strerror or error}", file=sys.stderr)
        return WRONG
    except Exception as error:
        if type(error).__name__ == "InterruptException":  # the database's word for Ctrl-C
            print("nogging: stopped", file=sys.stderr)
            return _STOPPED
        return _fault(error)


def _fault(error: Exception) -> int:
    """Tells what nobody foresaw in one line, and where the rest of it is."""
    import tempfile
    import traceback

    told = "".join(traceback.format_exception(error))
    try:
        place, path = tempfile.mkstemp(prefix="nogging-fault-", suffix=".txt")  # its owner's alone
        with os.fdopen(place, "w", encoding="utf-8") as file:
            file.write(told)
    except OSError:
        path = "nowhere: no file could be written"
    print(
        f"nogging: a fault of Nogging's own ({type(error).__name__}); it says nothing of your network. "
        f"The details, to be reported, are in {path}",
        file=sys.stderr,
    )
    return FAULT


def _command(name: str, arguments: list[str]) -> int:
    if name not in COMMANDS:
        raise QuestionError(f"unknown command '{name}'{nearest(name, COMMANDS)}")
    from importlib import import_module

    from nogging.cli.run import run

    command = import_module(f"nogging.cli.{COMMANDS[name][0]}").command
    if not os.environ.get("NOGGING_PAGER"):
        return run(command, name, arguments)
    from nogging.cli.paging import paged

    with paged(name):
        return run(command, name, arguments)
