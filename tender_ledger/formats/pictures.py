"""Pictures as they are brought and as they are kept: known by their content, drawn anew, without any of their metadata.

Pillow reads and writes. What is kept is JPEG (ITU-T T.81) of at most LONGEST pixels a side; nothing else of what was brought is.
"""

import io
import math
import warnings
from dataclasses import dataclass

from PIL import ExifTags, Image, ImageOps, UnidentifiedImageError

from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.positions import Position

LARGEST_FILE = 20 * 1024 * 1024  # bytes
MOST_PIXELS, LONGEST_SIDE = 50_000_000, 20_000
LONGEST, SMALL = 2400, 480  # pixels of the longer side, as kept and as shown in a page
_READ = ("JPEG", "PNG", "WEBP", "TIFF")


@dataclass(frozen=True)
class KeptPicture:
    """A picture as it is kept: JPEG bytes of the whole and of a small one, its size in pixels, and the position that stood in the
    metadata, None where there was none."""

    whole: bytes
    small: bytes
    width: int
    height: int
    position: Position | None


def read_picture(data: bytes, name: str = "the picture") -> KeptPicture:
    """Draw a picture anew. Raises InputRefused for what is too large, is no picture of a kind that is read, or is damaged."""
    if len(data) > LARGEST_FILE:
        raise InputRefused(_problem("The file is too large.", name, f"{len(data) / 1e6:.1f} MB", "at most 20 MB"))
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            with Image.open(io.BytesIO(data), formats=_READ) as opened:
                if opened.width * opened.height > MOST_PIXELS or max(opened.size) > LONGEST_SIDE:
                    raise Image.DecompressionBombError(f"{opened.width} × {opened.height} pixels")
                position = _position(opened)
                # Made smaller as it is read, so that a large one is never in memory whole twice.
                opened.thumbnail((LONGEST, LONGEST), Image.Resampling.LANCZOS)
                upright = ImageOps.exif_transpose(opened).convert("RGB")
    except (Image.DecompressionBombWarning, Image.DecompressionBombError) as error:
        most = "at most 50 million pixels, 20,000 a side"
        raise InputRefused(_problem("The picture is too large.", name, str(error)[:80], most)) from None
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, EOFError) as error:
        raise InputRefused(
            _problem("This is no picture that can be read.", name, str(error)[:80], "JPEG, PNG, WebP or TIFF")
        ) from None
    whole = _within(upright, LONGEST)
    return KeptPicture(_written(whole), _written(_within(upright, SMALL)), whole.width, whole.height, position)


def _problem(what: str, name: str, found: str, expected: str) -> Problem:
    return Problem(what, name, found, expected, "Make it smaller, or save it anew, and bring it again.")


def _within(picture: Image.Image, longest: int) -> Image.Image:
    """The picture with no side longer than so many pixels, on a plain canvas that carries nothing of the file."""
    share = min(1.0, longest / max(picture.size))
    size = (max(1, round(picture.width * share)), max(1, round(picture.height * share)))
    drawn = picture.resize(size, Image.Resampling.LANCZOS) if share < 1 else picture
    bare = Image.new("RGB", drawn.size)
    bare.paste(drawn)
    return bare


def _written(picture: Image.Image) -> bytes:
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=86, optimize=True)
    return out.getvalue()


def _position(picture: Image.Image) -> Position | None:
    """The position in the Exif of a picture (CIPA DC-008, GPS attributes), in degrees; None where none can be read."""
    try:
        said = picture.getexif().get_ifd(ExifTags.IFD.GPSInfo)
        north = _degrees(said[ExifTags.GPS.GPSLatitude]) * (-1 if said.get(ExifTags.GPS.GPSLatitudeRef) == "S" else 1)
        east = _degrees(said[ExifTags.GPS.GPSLongitude]) * (-1 if said.get(ExifTags.GPS.GPSLongitudeRef) == "W" else 1)
    except (KeyError, TypeError, ValueError, ZeroDivisionError, SyntaxError, OSError):
        return None
    good = math.isfinite(north) and math.isfinite(east) and abs(north) <= 90 and abs(east) <= 180
    return Position(round(north, 6), round(east, 6)) if good else None


def _degrees(parts: tuple[float, ...]) -> float:
    degrees, minutes, seconds = (float(part) for part in parts)
    return degrees + minutes / 60 + seconds / 3600
