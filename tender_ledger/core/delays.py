"""How long somebody waits after so many failed attempts: not at all after a few, then twice as long each time."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Limit:
    """So many failures are free; from then on one waits a second, two, four, and at most `longest` seconds."""

    free: int
    longest: int

    def delay(self, failures: int) -> int:
        """The seconds to wait after so many failures in a row."""
        over = failures - self.free
        return 0 if over <= 0 else min(2 ** min(over - 1, 30), self.longest)
