"""The demo's change: the terminal at Gannet Point moves from its copper span to the new span of fibre.

Done badly, one end of the new span keeps its old MTU, so that the adjacency sticks on the way up; and meanwhile,
elsewhere, a cable falls out of its port and somebody resets a router's sessions.
"""

from __future__ import annotations

from nogging.changes.sending import Step
from nogging.standin.model import Network
from nogging.standin.scenario import JUMBO

_NEW_FAR = ("interface GigabitEthernet0/4", f"mtu {JUMBO}", "no shutdown")

GOOD = (
    Step("mole-r2", "configure", _NEW_FAR),
    Step("gannet-r1", "shell", (f"ip link set dev eth4 mtu {JUMBO}",)),
    Step("gannet-r1", "configure", ("interface eth4", "no shutdown")),
    Step("gannet-r1", "configure", ("interface eth3", "shutdown")),
)
BAD = (
    Step("mole-r2", "configure", tuple(line for line in _NEW_FAR if not line.startswith("mtu"))),
    *GOOD[1:],
    Step("edge-r1", "vtysh", ("clear bgp *",)),
)


def steps(fault: bool) -> tuple[Step, ...]:
    return BAD if fault else GOOD


def mishap(network: Network) -> None:
    """What happens elsewhere while the change is done badly."""
    network.unplug("heron-r1", "GigabitEthernet0/0")
