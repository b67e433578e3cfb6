"""GPX 1.1, the open format of tracks: the points of a file, read by gpxpy."""

import gpxpy
from gpxpy.gpx import GPXException, GPXRoutePoint, GPXTrackPoint, GPXWaypoint

from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.positions import Position


def read_track(data: bytes, name: str = "the track") -> list[Position]:
    """The points of every track, route and way point of a file, in their order. Raises InputRefused for what is no GPX."""
    try:
        parsed = gpxpy.parse(data.decode("utf-8-sig"))
    except (GPXException, UnicodeDecodeError, ValueError) as error:
        raise InputRefused(Problem("This is no GPX file.", name, str(error), "a file as position receivers write it")) from None
    tracked = [point for track in parsed.tracks for part in track.segments for point in part.points]
    routed = [point for route in parsed.routes for point in route.points]
    points: list[GPXTrackPoint | GPXRoutePoint | GPXWaypoint] = [*tracked, *routed, *parsed.waypoints]
    return [Position(point.latitude, point.longitude, _within(point.horizontal_dilution)) for point in points]


def _within(dilution: float | None) -> float | None:
    """Metres, by the usual five a unit of dilution (common practice, no source)."""
    return None if dilution is None else 5.0 * dilution
