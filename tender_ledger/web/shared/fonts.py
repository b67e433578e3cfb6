"""The fonts that pages for print are set in: the ones that the application ships."""

from pathlib import Path

from flask import current_app

_FONTS = ("GentiumPlus-Regular.woff", "GentiumPlus-Italic.woff", "GentiumPlus-Bold.woff", "NotoSans-Regular.woff")


def font_files() -> dict[str, bytes]:
    """The files by name, in the older packing: the newer one of the screen takes five seconds to unpack for a page."""
    folder = Path(current_app.static_folder or "") / "fonts" / "print"
    return {name: (folder / name).read_bytes() for name in _FONTS}
