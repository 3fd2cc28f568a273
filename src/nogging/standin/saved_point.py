"""What a device goes back to by itself, unless it is told in time to keep what it has."""

from __future__ import annotations

import copy
import threading
from typing import Any

from nogging.standin.model import Network, SimulatedDevice

_CONFIGURED = ("shutdown", "mtu", "description", "addresses", "ospf")


class SavedPoint:
    """One device's; begun, and then confirmed or gone back to."""

    def __init__(self, network: Network, device: SimulatedDevice, seconds: float) -> None:
        self.network, self.device = network, device
        self.kept = self._configured()
        self.timer = threading.Timer(seconds, self.go_back)
        self.timer.daemon = True
        self.timer.start()

    def extend(self, seconds: float) -> None:
        """Begins to wait anew; what it goes back to stays."""
        self.timer.cancel()
        self.timer = threading.Timer(seconds, self.go_back)
        self.timer.daemon = True
        self.timer.start()

    def confirm(self) -> None:
        self.timer.cancel()
        self.device.saved_point = None

    def go_back(self) -> None:
        """Puts everything configured back, and lets the network settle."""
        self.timer.cancel()
        with self.network.lock:
            interfaces, others = self.kept
            for name, values in interfaces.items():
                for field, value in values.items():
                    setattr(self.device.interfaces[name], field, value)
            for field, value in others.items():
                setattr(self.device, field, value)
            self.device.saved_point = None
            self.network.settle()

    def _configured(self) -> Any:
        interfaces = {
            interface.name: {field: getattr(interface, field) for field in _CONFIGURED}
            for interface in self.device.interfaces.values()
        }
        others = {"statics": self.device.statics, "bgp": self.device.bgp, "kept": self.device.kept}
        return copy.deepcopy((interfaces, others))
