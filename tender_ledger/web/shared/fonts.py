"""The fonts that pages for print are set in: the ones that the application ships."""

from pathlib import Path

from flask import current_app

_FONTS = ("GentiumPlus-Regular.woff2", "GentiumPlus-Italic.woff2", "GentiumPlus-Bold.woff2", "NotoSans-Regular.woff2")


def font_files() -> dict[str, bytes]:
    """The files by name."""
    folder = Path(current_app.static_folder or "") / "fonts"
    return {name: (folder / name).read_bytes() for name in _FONTS}
