"""A list of the product's parts: what there is how often, of which material and size, as a table (CSV) or to print (PDF)."""

import csv
import io
import re
from pathlib import Path
from typing import Iterable, Mapping, NamedTuple, Sequence

import numpy as np

from aulmo.document import variants
from aulmo.document.assets import AssetStore
from aulmo.document.edits import shown_parts
from aulmo.document.made.copies import with_copies
from aulmo.document.placement import world_matrices
from aulmo.document.properties import resolve
from aulmo.document.records import Document
from aulmo.document.writing import write_atomically
from aulmo.errors import BadValue

RUN = ("=", "+", "-", "@", "\t", "\r", "\n")  # with which a cell begins that a spreadsheet would run
_NUMBER = re.compile(r"[-+]?[0-9]+(\.[0-9]*)?([eE][-+]?[0-9]+)?")
HEAD = ("Number", "Part", "Count", "In", "Material", "Width mm", "Depth mm", "Height mm", "From")


class Line(NamedTuple):
    """Parts that are one: their name, how many there are, the groups they are in, material, world size in mm of the first, file they came from."""

    name: str
    many: int
    within: str
    material: str
    size: tuple[float, float, float]
    source: str


def lines(document: Document, assets: AssetStore, choices: Mapping[str, str] | None = None, set_pieces: bool = False) -> list[Line]:
    """The parts that are seen, in the tree's order; those of one shape, material and group are one line. Floors, walls and other set pieces are left
    out unless they are wanted."""
    document = with_copies(resolve(variants.chosen(document, choices or {})))
    worlds = world_matrices(document)
    of_file = {root: source.name for source in document.sources.values() for root in source.roots}
    found: dict[tuple, list] = {}
    for part_id in shown_parts(document):
        part = document.parts[part_id]
        above, names, origin = part, [], of_file.get(part_id, "")
        set_piece = part.set_piece is not None
        while above.parent is not None and above.parent in document.parts:
            above = document.parts[above.parent]
            names.append(above.name)
            origin = origin or of_file.get(above.id, "")
            set_piece = set_piece or above.set_piece is not None
        if set_piece and not set_pieces:
            continue
        material = document.materials[part.material].name if part.material in document.materials else ""
        worn = [material, *(document.materials[s.material].name for s in part.face_sets if s.material in document.materials)]
        low, high = assets.turned_box(part.mesh or "", np.ascontiguousarray(worlds[part_id][:3, :3]))
        size = tuple(float(v) for v in high - low)
        within = " / ".join(reversed(names))
        key = (part.mesh, part.name.rstrip("0123456789 "), within, tuple(worn))
        if key in found:
            found[key][1] += 1
        else:
            found[key] = [part.name, 1, within, ", ".join(dict.fromkeys(w for w in worn if w)), size, origin]
    return [Line(*made) for made in found.values()]


def write_parts_list(document: Document, assets: AssetStore, path: Path, choices: Mapping[str, str] | None = None, set_pieces: bool = False) -> int:
    """Write the list to a .csv or .pdf; returns how many lines it has. Raises BadValue or CannotWrite; a file already there stays."""
    path = Path(path)
    if path.suffix.lower() not in (".csv", ".pdf"):
        raise BadValue(f"{path.name} should end in .csv or .pdf.")
    made = lines(document, assets, choices, set_pieces)
    if not made:
        raise BadValue("There is no part to list.")
    title = " · ".join(words for words in (document.name, variants.told(document, choices) if choices else "") if words)
    blob = table([HEAD, *(_cells(k, line) for k, line in enumerate(made, 1))]) if path.suffix.lower() == ".csv" else _pdf(title, made)
    write_atomically(path, lambda file: file.write(blob))
    return len(made)


def _cells(k: int, line: Line) -> list[str]:
    return [str(k), line.name, str(line.many), line.within, line.material, *(f"{v:.2f}" for v in line.size), line.source]


def table(rows: Iterable[Sequence[str]]) -> bytes:
    """Rows as CSV, with the mark by which spreadsheets know how it is written. A cell that one would work out, or run as a command, begins with an
    apostrophe: it is then what it looks like."""
    out = io.StringIO()
    csv.writer(out).writerows([f"'{cell}" if cell[:1] in RUN and not _NUMBER.fullmatch(cell) else cell for cell in row] for row in rows)
    return ("\ufeff" + out.getvalue()).encode()


def _pdf(title: str, made: list[Line]) -> bytes:
    from reportlab.lib.pagesizes import A4, landscape
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.platypus import LongTable, Paragraph, SimpleDocTemplate, Spacer, TableStyle

    from aulmo.deliver.contact_sheet import pdf_type

    bold, plain, out = pdf_type("SemiBold"), pdf_type("Regular"), io.BytesIO()
    style = ParagraphStyle("cell", fontName=plain, fontSize=7.5, leading=9.5)
    head = ParagraphStyle("head", parent=style, fontName=bold)
    large = ParagraphStyle("title", fontName=bold, fontSize=12, leading=16)

    def words(text: str, of: ParagraphStyle = style) -> Paragraph:
        return Paragraph(text.replace("&", "&amp;").replace("<", "&lt;"), of)

    rows = [[words(h, head) for h in HEAD], *([words(cell) for cell in _cells(k, line)] for k, line in enumerate(made, 1))]
    table = LongTable(rows, colWidths=[42, 128, 36, 148, 138, 52, 52, 54, 120], repeatRows=1)
    everywhere = ((0, 0), (-1, -1))
    air = [("TOPPADDING", *everywhere, 2), ("BOTTOMPADDING", *everywhere, 3)]
    table.setStyle(TableStyle([("LINEBELOW", *everywhere, 0.3, (0.7, 0.7, 0.7)), ("VALIGN", *everywhere, "TOP"), *air]))
    count = sum(line.many for line in made)

    def foot(canvas, _page) -> None:
        canvas.setFont(plain, 7.5)
        canvas.drawRightString(landscape(A4)[0] - 36, 20, f"{count} parts of {len(made)} kinds · page {canvas.getPageNumber()}")

    page = SimpleDocTemplate(
        out, pagesize=landscape(A4), leftMargin=36, rightMargin=36, topMargin=34, bottomMargin=36, title=f"{title}, parts", creator="Aulmo"
    )
    page.build([words(title, large), Spacer(1, 6), table], onFirstPage=foot, onLaterPages=foot)
    return out.getvalue()
