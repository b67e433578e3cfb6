"""Files are read in a process of their own: what it oversteps ends it, and what serves people goes on."""

import io
import os
import resource
import struct
import threading
import time
import zlib

import pytest

from tender_ledger.core.messages import InputRefused
from tender_ledger.formats import isolation
from tender_ledger.formats.isolation import Busy, isolated
from tender_ledger.formats.pictures import read_picture
from tender_ledger.formats.references import read_references


def process_of(_data: bytes) -> int:
    return os.getpid()


def takes_memory(size: int) -> int:
    return len(bytearray(size))


def takes_time(seconds: float) -> None:
    time.sleep(seconds)


def ends_itself() -> None:
    os._exit(9)


def test_a_reader_runs_elsewhere_and_its_answer_and_its_refusal_come_back():
    assert isolated(process_of, b"x") != os.getpid()
    data = b'[{"title": "Herbs of the hills", "type": "book"}]'
    assert isolated(read_references, data, "list.json") == read_references(data, "list.json")
    with pytest.raises(InputRefused, match=r"list\.txt: This is no list of references"):
        isolated(read_references, b"nothing", "list.txt")


def test_too_much_memory_too_much_time_and_an_early_end_are_refusals(monkeypatch: pytest.MonkeyPatch):
    with pytest.raises(InputRefused, match="more than the memory"):
        isolated(takes_memory, 2 * isolation.MEMORY)
    with pytest.raises(InputRefused, match="more than the memory"):
        isolated(ends_itself)
    monkeypatch.setattr(isolation, "SECONDS", 0.2)
    with pytest.raises(InputRefused, match="work for more than"):
        isolated(takes_time, 60.0)
    monkeypatch.undo()
    assert isolated(takes_memory, 1000) == 1000  # and the next one is served


def test_more_than_can_wait_are_told_and_not_begun():
    others = [
        threading.Thread(target=isolated, args=(takes_time, 0.3)) for _place in range(isolation.AT_ONCE + isolation.WAITING)
    ]
    for one in others:
        one.start()
    while isolation._places._value:
        time.sleep(0.01)
    with pytest.raises(Busy):
        isolated(takes_memory, 1)
    for one in others:
        one.join()
    assert isolated(takes_memory, 1) == 1


def png(width: int, height: int) -> bytes:
    """A white picture of one colour, small as a file however large it is."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    compress = zlib.compressobj()
    rows = b"".join(compress.compress(b"\0" + b"\xff" * (3 * width)) for _row in range(height)) + compress.flush()
    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", rows) + chunk(b"IEND", b"")


def peak_of(data: bytes) -> int:
    """The most memory, in kB, that reading a picture took beyond what the process had."""
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    read_picture(data)
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before


def test_a_large_picture_takes_no_more_memory_than_its_pixels_and_half_as_much():
    data = png(7_000, 7_000)
    assert len(data) < 200_000
    assert isolated(peak_of, data) < 1.5 * 7_000 * 7_000 * 4 / 1024  # Pillow holds a pixel in four bytes


@pytest.mark.parametrize("size", [(50_000_000, 1), (1, 50_000_000), (8_000, 8_000)])
def test_a_picture_whose_header_is_too_large_is_refused_before_a_pixel_is_read(size: tuple[int, int]):
    header = struct.pack(">IIBBBBB", *size, 8, 2, 0, 0, 0)
    data = b"\x89PNG\r\n\x1a\n" + struct.pack(">I", 13) + b"IHDR" + header + struct.pack(">I", zlib.crc32(b"IHDR" + header))
    with pytest.raises(InputRefused, match="too large"):
        read_picture(data + struct.pack(">I", 0) + b"IDAT" + struct.pack(">I", zlib.crc32(b"IDAT")))


def test_a_small_picture_keeps_its_size():
    assert (read_picture(png(31, 7)).width, read_picture(png(31, 7)).height) == (31, 7)
    assert io.BytesIO(read_picture(png(31, 7)).whole).read(2) == b"\xff\xd8"
