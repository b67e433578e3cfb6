"""Pictures with a position in their metadata, made where a test needs them."""

import io

from PIL import ExifTags, Image
from PIL.TiffImagePlugin import IFDRational

XMP = b"""<x:xmpmeta xmlns:x="adobe:ns:meta/"><secret exif:GPSLatitude="12,34.94982S">12.582497</secret></x:xmpmeta>"""


def with_position(kind: str, size: tuple[int, int] = (320, 200)) -> bytes:
    """A picture that says it was taken at 12°34'56.99" south, 31°12' east, in Exif and, where the kind has it, in XMP."""
    exif = Image.Exif()
    exif[ExifTags.Base.Make] = "secret camera"
    gps = exif.get_ifd(ExifTags.IFD.GPSInfo)
    gps[ExifTags.GPS.GPSLatitudeRef], gps[ExifTags.GPS.GPSLongitudeRef] = "S", "E"
    gps[ExifTags.GPS.GPSLatitude] = (IFDRational(12), IFDRational(34), IFDRational(56_990_000, 1_000_003))
    gps[ExifTags.GPS.GPSLongitude] = (IFDRational(31), IFDRational(12), IFDRational(0, 1))
    out = io.BytesIO()
    more = {"xmp": XMP} if kind in ("JPEG", "WEBP") else {}
    picture = Image.effect_noise(size, 40).convert("RGB")
    picture.save(out, kind, exif=exif, **more)
    return out.getvalue()
