"""Where one is: what a position receiver answers."""

from dataclasses import dataclass
from typing import Protocol


@dataclass(frozen=True)
class Position:
    """Degrees north and east, and within how many metres they hold (None: not said)."""

    latitude: float
    longitude: float
    within_m: float | None = None


class PositionReceiver(Protocol):
    """What the application asks of any device that knows where it is."""

    @property
    def title(self) -> str:
        """What the device calls itself."""

    def read(self) -> Position | None:
        """The position now; None where it has none yet."""
