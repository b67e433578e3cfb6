"""Pages for print: HTML with its own styles to PDF, with the fonts that the caller has and nothing from anywhere else."""

from collections.abc import Mapping
from typing import Any


def print_pdf(html: str, fonts: Mapping[str, bytes]) -> bytes:
    """The pages as PDF. A style names a font as `url(font:NAME)` with a NAME of `fonts`.

    Raises ValueError where the pages ask for anything else: nothing is fetched, and no other font stands in unsaid. Set by
    WeasyPrint, which is loaded when the first page is printed: that takes a second.
    """
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    missing: list[str] = []

    class OnlyFonts(URLFetcher):  # type: ignore[misc]
        def fetch(self, url: str, headers: Any = None) -> Any:  # noqa: ARG002 - so it is asked
            kind, _colon, name = url.partition(":")
            if kind != "font" or name not in fonts:
                missing.append(url)
                raise ValueError(url)
            return URLFetcherResponse(url, fonts[name], {"Content-Type": "font/woff"})

    pdf = bytes(HTML(string=html, url_fetcher=OnlyFonts()).write_pdf())
    if missing:
        raise ValueError(f"the pages ask for what is not theirs: {', '.join(missing)}")
    return pdf
