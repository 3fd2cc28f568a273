"""A change with a mistake in it: rehearsed, performed, found wrong, and backed out.

The stand-in network takes the place of a real one; the change file is the one that `nogging demo` performs first.
"""

import tempfile

import nogging
from nogging.standin import served

with tempfile.TemporaryDirectory() as folder, served(folder) as network:
    change = nogging.load_change(network.mistaken)
    rehearsal, gate, _ = nogging.rehearse(change)
    for part in rehearsal.parts:
        print(part.device.name, [line for line, _ in part.lines], "undone by", [line for line, _ in part.undone_by])

    done = nogging.perform(change, to=f"{folder}/performed")
    print(done.state, "because", *done.reasons, sep="\n  ")
