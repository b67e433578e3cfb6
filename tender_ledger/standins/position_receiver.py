"""A simulated position receiver that replays a track: each reading is the next point, from the first again after the last."""

import itertools
from collections.abc import Sequence
from pathlib import Path

from tender_ledger.core.positions import Position
from tender_ledger.formats.gpx import read_track

_SHIPPED = Path(__file__).resolve().parents[1] / "data" / "track.gpx"


class ReplayedTrack:
    """Answers as a receiver would that is carried along a track."""

    title = "Simulated receiver (an invented walk)"

    def __init__(self, track: Sequence[Position] | None = None) -> None:
        self._points = itertools.cycle(track if track is not None else read_track(_SHIPPED.read_bytes(), _SHIPPED.name))

    def read(self) -> Position | None:
        return next(self._points, None)
