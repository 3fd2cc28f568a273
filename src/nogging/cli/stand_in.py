"""`nogging stand-in`"""

from __future__ import annotations

import threading
from pathlib import Path
from typing import Annotated

import typer

from nogging.cli import PASS
from nogging.inventory import load_inventory
from nogging.standin import served
from nogging.standin.scenario import DEVICES
from nogging.standin.server import HOST, USER


def command(
    folder: Annotated[Path, typer.Argument(help="Where its inventory and keys are, or will be.")] = Path("teal-sound"),
) -> int:
    """Runs the stand-in network on this machine until it is stopped (Ctrl-C)."""
    with served(folder) as sound:
        port = load_inventory(sound.inventory).device("mole-r1").port
        print(
            f"{len(DEVICES)} devices are up. In another terminal:\n\n"
            f"  nogging capture {sound.inventory} --to {folder}/now\n"
            f"  ssh -p {port} -o UserKnownHostsFile={folder}/known_hosts {USER}@{HOST}\n"
            f"      (mole-r1; the password is in {folder}/password)\n\n"
            "Ctrl-C stops the network.",
            flush=True,
        )
        threading.Event().wait()
    return PASS
