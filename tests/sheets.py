"""Invented sheets with the faults that real ones have, as the bytes of their files; what each holds stands in its docstring."""

import csv
import io
import zipfile
from collections.abc import Sequence
from datetime import date
from xml.sax.saxutils import escape

from openpyxl import Workbook
from openpyxl.styles import Font, PatternFill

Rows = Sequence[Sequence[object]]


def text(rows: Rows, *, mark: str = ",", encoding: str = "utf-8") -> bytes:
    """Rows as text, parted by a mark, in an encoding."""
    out = io.StringIO(newline="")
    csv.writer(out, delimiter=mark).writerows(rows)
    return out.getvalue().encode(encoding)


def semicolons_in_windows_1252() -> bytes:
    """Windows-1252 and semicolons as a spreadsheet program of Central Europe saves them: a title above, the header in row 4,
    bare numbers for informants, decimal commas, several parts in a cell, a slip in a name, sums at the end."""
    rows = [
        ["Interviews in Xanmere, summer 2026"],
        ["written down by the team", "", "", ""],
        [],
        ["Resp. no", "Village", "Scientific name", "Vernacular name", "Part used", "Preparation", "Use category", "Dose",
         "Season", "Start", "Date of interview"],
        ["1", "Xanmere", "Plantago major L.", "Wegerich groß", "leaves", "poultice", "medicine", "1,5 cups", "spring", "12,5",
         "3.4.2026"],
        ["2", "Xanmere", "Plantago major", "Wegerich groß", "leaf, root", "decoction", "Medicinal", "two spoons", "summer", "",
         "13.4.2026"],
        ["1", "Xanmere", "Mentha longifola", "Rossminze", "Leaves", "infusion", "food", "", "before flowering", "75,25",
         "3.4.2026"],
        ["Total", "", "", "", "3", "", "", "", "", "", ""],
    ]  # fmt: skip
    return text(rows, mark=";", encoding="cp1252")


def tabs_in_utf_16() -> bytes:
    """UTF-16 with tabs, which a spreadsheet program calls Unicode text; ditto marks for what stands above."""
    rows = [
        ["Informant", "Community", "Species", "Use category", "Part"],
        ["H01", "Xanmere", "Tilia cordata", "medicines", "inflorescence"],
        ['"', '"', "Sambucus nigra", '"', "fruit"],
        ["H02", '"', '"', "food", '"'],
    ]
    return text(rows, mark="\t", encoding="utf-16")


def workbook_of_several_sheets() -> bytes:
    """XLSX: notes on the first sheet, reports on the second with merged informants, real days, colours that mean something,
    a line struck through and a formula that nobody computed."""
    book = Workbook()
    book.active.title = "read me"
    book.active.append(["These are our interviews."])
    sheet = book.create_sheet("interviews")
    sheet.append(["Informant", "Village", "Day", "Species", "Part used", "Use category", "Remarks", "Uses"])
    rows = [
        [
            "H01",
            "Xanmere",
            date(2026, 4, 3),
            "Salvia officinalis",
            "leaf",
            "medicines",
            "yellow: ask again",
            None,
        ],
        [None, None, None, "Thymus serpyllum", "aerial parts", "medicines", None, None],
        [None, None, None, "Rubus idaeus", "fruit", "food", None, "=LEN(D4)"],
        ["H02", "Xanmere", date(2026, 4, 13), "Rubus idaeus", "fruit", "food", "withdrawn?", None],
    ]
    for row in rows:
        sheet.append(row)
    for column in "ABC":
        sheet.merge_cells(f"{column}2:{column}4")
    for column in "ABCDEF":
        sheet[f"{column}2"].fill = PatternFill("solid", fgColor="FFFF00")
        sheet[f"{column}5"].font = Font(strike=True)
    return saved(book)


def saved(book: Workbook) -> bytes:
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


_ODS = (
    '<?xml version="1.0" encoding="UTF-8"?><office:document-content '
    'xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" '
    'xmlns:style="urn:oasis:names:tc:opendocument:xmlns:style:1.0" '
    'xmlns:fo="urn:oasis:names:tc:opendocument:xmlns:xsl-fo-compatible:1.0" '
    'xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" '
    'xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" office:version="1.3"><office:automatic-styles>'
    '<style:style style:name="red" style:family="table-cell"><style:table-cell-properties fo:background-color="#ffaaaa"/>'
    "</style:style></office:automatic-styles><office:body><office:spreadsheet>{tables}"
    "</office:spreadsheet></office:body></office:document-content>"
)  # fmt: skip


def ods(tables: dict[str, Sequence[str]]) -> bytes:
    """A workbook of OpenDocument with the rows of each sheet as XML."""
    content = _ODS.format(tables="".join(
        f'<table:table table:name="{name}">{"".join(rows)}</table:table>' for name, rows in tables.items()))  # fmt: skip
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr("content.xml", content)
        archive.writestr(
            "META-INF/manifest.xml",
            '<?xml version="1.0"?><manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0">'
            '<manifest:file-entry manifest:full-path="/" manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/>'
            "</manifest:manifest>",
        )
    return out.getvalue()


def ods_row(*cells: str, down: int = 0, style: str = "") -> str:
    """A row of text cells; `down` rows are covered by its first cell; None stands for a covered cell."""
    found = []
    for at, cell in enumerate(cells):
        if cell is None:
            found.append("<table:covered-table-cell/>")
            continue
        spans = f' table:number-rows-spanned="{down}" table:number-columns-spanned="1"' if down and at == 0 else ""
        look = f' table:style-name="{style}"' if style else ""
        value = ' office:value-type="string"' if cell else ""
        inner = f"<text:p>{escape(cell)}</text:p>" if cell else ""
        found.append(f"<table:table-cell{spans}{look}{value}>{inner}</table:table-cell>")
    return f"<table:table-row>{''.join(found)}</table:table-row>"


def ods_with_merged_cells() -> bytes:
    """ODS: a merged informant over three rows, of which one is red; headings of families between the rows."""
    rows = [
        ods_row("Informant", "Village", "Plant species", "Part", "Use group"),
        ods_row("", "", "ROSACEAE", "", ""),
        ods_row("H01", "Xanmere", "Rubus idaeus", "fruit", "food", down=3),
        ods_row(None, "Xanmere", "Fragaria vesca", "fruits", "Food", style="red"),
        ods_row(None, "Xanmere", "Sorbus aucuparia", "fruit", "food plants"),
        ods_row("H02", "Xanmere", "Rubus idaeus", "fruit", "food"),
    ]
    return ods({"Tabelle1": rows})


def three_styles_of_days() -> bytes:
    """Days with points, with slashes that can be read in two ways, and in words."""
    rows = [
        ["informant", "community", "date", "event", "taxon", "use category"],
        ["H01", "X", "03.04.2026", "a", "Plantago major", "food"],
        ["H01", "X", "04/05/2026", "b", "Plantago major", "food"],
        ["H01", "X", "12 May 26", "c", "Plantago major", "food"],
        ["H01", "X", "May 2026", "d", "Plantago major", "food"],
        ["H01", "X", "5/6/26", "e", "Plantago major", "food"],
    ]
    return text(rows)


def categories_spelled_three_ways() -> bytes:
    """One category in three spellings, another that the study lacks in two."""
    told = ["medicine", "Medicines", "medicinal", "weaving", "Weaving", "weavings", "food"]
    rows = [[f"H{at:02}", "X", "Salix alba", name] for at, name in enumerate(told, 1)]
    return text([["Informant", "Village", "Species", "Use category"], *rows])


def plants_by_informants_with_counts() -> bytes:
    """A pivot: a row a plant, a column an informant, counts in the cells, sums at both ends."""
    book = Workbook()
    sheet = book.active
    sheet.append(["Species", "Local name", "H01", "H02", "H03", "Total"])
    sheet.append(["Betula pendula", "birk", 1, 2, 0, 3])
    sheet.append(["Corylus avellana", "hassel", None, 1, 1, 2])
    sheet.append(["Quercus robur", "ek", "x", None, None, 1])
    sheet.append(["Total", None, 2, 3, 1, 6])
    return saved(book)


def informants_in_a_cell() -> bytes:
    """A row a plant, with everybody who named it in one cell, ranges among them."""
    rows = [
        ["Plant species", "Family", "Part used", "Use category", "Informants", "FC"],
        ["Malva sylvestris", "Malvaceae", "leaf", "food", "H01, H02; H05", "3"],
        ["Malva neglecta", "Malvaceae", "leaf + root", "medicines", "H01-H04", "4"],
        ["Juniperus communis", "Cupressaceae", "cone", "food_additives", "H03 and H05", "2"],
    ]
    return text(rows)


def header_in_the_middle_again() -> bytes:
    """A printed list put together: its header stands on every page, empty lines and cells left empty for “as above”."""
    head = ["Holder", "Place", "Scientific name", "Use category", "Remarks"]
    rows = [
        head,
        ["H01", "Xanmere", "Humulus lupulus", "food", "young shoots"],
        ["", "", "Hedera helix", "materials", ""],
        [],
        head,
        ["H02", "Xanmere", "Humulus lupulus", "fuels", "p. 2"],
    ]
    return text(rows, mark="|")


def counts_without_informants() -> bytes:
    """A published table: citations a plant, and nobody who gave them."""
    return text(
        [
            ["Species", "Family", "Use category", "N", "UV"],
            ["Salvia officinalis", "Lamiaceae", "medicines", "17", "0.4"],
        ]
    )


def plants_in_two_columns_of_uses() -> bytes:
    """Two columns for parts, two categories in a cell, an informant written in three ways."""
    rows = [
        [
            "Participant code",
            "Community",
            "Species",
            "Part used",
            "Part",
            "Category of use",
            "Mode of preparation",
        ],
        ["H-01", "X", "Sambucus nigra", "flower", "fruit", "food; medicines", "syrup / jam"],
        ["H 1", "X", "Sambucus nigra", "flowers", "", "medicines", "infused"],
        ["h-01", "X", "Sambucus ebulus", "fruit", "", "materials", ""],
    ]
    return text(rows)


def of_135_rows() -> bytes:
    """What a season brings: 135 rows of three villages, 37 of “medicine”, 82 on hearsay, days with the day first, doses and
    seasons, a sum at the end."""
    plants = [
        "Plantago major",
        "Salvia officinalis",
        "Thymus serpyllum",
        "Rubus idaeus",
        "Sambucus nigra",
        "Tilia cordata",
    ]
    parts, seasons = (
        ["leaves", "leaf", "flowers", "fruit", "root"],
        ["spring", "early summer", "after the first frost"],
    )
    categories = ["medicine"] * 37 + ["Medicines"] * 30 + ["food"] * 40 + ["fodder for goats"] * 28
    rows = [
        [f"{at % 15 + 1}", ("Xanmere", "Ostrel", "Tarn Hollow")[at % 15 % 3], f"{at % 28 + 1}/5/2026", plants[at % 6],
         parts[at % 5], categories[at], "hearsay" if at < 82 else "own", "a cup" if at % 4 == 0 else "", seasons[at % 3],
         f"told on day {at}"]
        for at in range(135)
    ]  # fmt: skip
    head = ["Respondent no", "Village", "Date of interview", "Scientific name", "Part used", "Use category",
            "Source of knowledge", "Dosage", "Collection season", "Remarks"]  # fmt: skip
    title = [["Season 2026, all villages"], [], [], head]
    return text(
        [*title, *rows, ["Total", "", "", "", "135", "", "", "", "", ""]],
        mark=";",
        encoding="cp1252",
    )
