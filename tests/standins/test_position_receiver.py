"""The simulated position receiver, and the track that it replays."""

import pytest

from tender_ledger.core.messages import InputRefused
from tender_ledger.core.positions import Position
from tender_ledger.formats.gpx import read_track
from tender_ledger.standins.position_receiver import ReplayedTrack

GPX = b"""<?xml version="1.0"?><gpx version="1.1" creator="t" xmlns="http://www.topografix.com/GPX/1/1">
<wpt lat="1.5" lon="-2.25"/><rte><rtept lat="3" lon="4"/></rte>
<trk><trkseg><trkpt lat="-5.5" lon="6"><hdop>2</hdop></trkpt></trkseg></trk></gpx>"""


def test_a_track_is_read_with_its_dilution():
    assert read_track(GPX) == [Position(-5.5, 6, 10.0), Position(3, 4), Position(1.5, -2.25)]


@pytest.mark.parametrize("data", [b"", b"<gpx>", b"\xff\xfe", b"latitude,longitude"])
def test_what_is_no_track_is_refused(data: bytes):
    with pytest.raises(InputRefused, match="no GPX file"):
        read_track(data, "walk.gpx")


def test_the_receiver_walks_its_track_and_begins_again():
    receiver = ReplayedTrack()
    first = receiver.read()
    seen = [first, *(receiver.read() for _ in range(8))]
    assert first is not None
    assert first.within_m is not None
    assert seen[8] == first
    assert len(set(seen)) == 8
    assert ReplayedTrack([]).read() is None
