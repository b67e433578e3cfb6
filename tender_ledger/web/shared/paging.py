"""Long lists in pages."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from flask import request, url_for

from tender_ledger.core.text import whole_number

PAGE = 100  # rows of a list on one page


@dataclass(frozen=True)
class ListPage:
    """The rows of one page of a list; `first` is the place of its first row, from 1; `address` is the list's own."""

    rows: Sequence[Any]
    number: int
    pages: int
    first: int
    address: str

    def to(self, number: int) -> str:
        """The address of another page of the list."""
        return f"{self.address}?page={number}"


def list_page(rows: Sequence[Any], endpoint: str) -> ListPage:
    """The page of a list that the request asks for by `page`; the last where there are not so many, the first where it asks for
    none. An empty list has one page."""
    pages = max(-(-len(rows) // PAGE), 1)
    number = min(max(whole_number(request.args.get("page")) or 1, 1), pages)
    start = (number - 1) * PAGE
    return ListPage(rows[start : start + PAGE], number, pages, start + 1, url_for(endpoint))
