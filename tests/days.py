"""Days of the stand-in network in simulated time, kept as a history: no server, no waiting."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory

from nogging.captures.capture import Capture
from nogging.captures.history import History, begun
from nogging.captures.manifest import CAPTURED
from nogging.captures.masking import Masker, user_key
from nogging.captures.writing import Writer
from nogging.judging.changed import changed, first
from nogging.standin import frr, ios
from nogging.standin.model import Network
from nogging.standin.scenario import teal_sound

DIALECTS = {"frr": frr.SHOWS, "ios": ios.SHOWS}
Change = Callable[[str, str, str], str]
"""What becomes of an answer, of which device and command it is."""


@dataclass
class Days:
    """The network at a moment that is set by hand. `skews` are how far the devices' clocks are ahead (s)."""

    now: datetime
    devices: tuple[str, ...]
    network: Network = field(init=False)
    skews: dict[str, float] = field(default_factory=dict)
    change: Change = lambda device, command, text: text

    def __post_init__(self) -> None:
        self.network = teal_sound(lambda: self.now)

    def answers(self, name: str) -> Mapping[str, str]:
        device = self.network.devices[name]
        shows = {
            command: show for command, show in DIALECTS[device.dialect].items() if command != "show running-config"
        }
        return {
            command: self.change(name, command, show(self.network, device, self.now)) for command, show in shows.items()
        }

    def captured(self, folder: Path) -> Capture:
        with Writer(folder, Masker(user_key())) as writer:
            for name in self.devices:
                writer.begin(name, self.network.devices[name].dialect, {"site": name.partition("-")[0]})
                for command, text in self.answers(name).items():
                    writer.answer(name, command, text, self.now.isoformat())
                writer.clock(name, self.skews.get(name, 0.0))
                writer.outcome(name, CAPTURED)
        found = Capture(folder)
        found.summed_up()
        return found

    def kept(
        self, folder: Path, turns: int, every: timedelta, before: Callable[[int], None] = lambda _: None
    ) -> History:
        """So many turns into a history; `before` is called before each with its number."""
        from nogging.captures.sealing import sealed

        last: Capture | None = None
        with TemporaryDirectory() as place, begun(folder) as history:
            for n in range(turns):
                before(n)
                with self.network.lock:
                    self.network.settle()
                capture = self.captured(Path(place) / str(n))
                devices = list(self.devices)
                at = self.now
                told = changed(last, capture, devices, at)[0] if last else first(capture, devices, at)
                capture.manifest.ended = at.isoformat(timespec="milliseconds")
                history.add(sealed(capture.manifest, user_key()), capture.folder, told)
                last = capture
                self.now += every
        return history
