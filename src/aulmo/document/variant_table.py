"""Variants from a table, and in words of the command line: a column for each axis, a row for each variant."""

import csv
import io
from typing import Mapping

from aulmo.document.records import Document
from aulmo.document.variants import MOST_CELLS, axis_of, choice_of
from aulmo.errors import BadValue


def from_table(document: Document, text: str) -> list[dict[str, str]]:
    """Rows of a table (CSV; comma, semicolon or tab) as {axis: choice}, an empty cell being the base; a column "Shot" gives {"shot": id}. Raises
    BadValue with the line that is wrong."""
    try:
        kind: type[csv.Dialect] | csv.Dialect = csv.Sniffer().sniff(text[:4096], ",;\t")
    except csv.Error:
        kind = csv.excel
    try:
        rows = [[cell.strip() for cell in row] for row in csv.reader(io.StringIO(text.lstrip("\ufeff")), kind)]
    except csv.Error as error:
        raise BadValue(f"The table cannot be read: {error}.") from None
    rows = [row for row in rows if any(row)]
    if len(rows) < 2:
        raise BadValue("The table needs a line of axes, and a line for each variant.")
    if len(rows) - 1 > MOST_CELLS:
        raise BadValue(f"The table has more than {MOST_CELLS:,} lines.")
    head = ["shot" if name.lower() == "shot" else axis_of(document, name).name for name in rows[0] if name]
    if len(set(head)) < len(head):
        raise BadValue("The table names an axis twice.")
    found = []
    for number, row in enumerate(rows[1:], 2):
        try:
            cells = {name: cell for name, cell in zip(head, row) if cell}
            for name, cell in cells.items():
                if name == "shot":
                    shot = next((s for s in document.shots if cell.lower() in (s.name.lower(), s.id)), None)
                    if shot is None:
                        raise BadValue(f"There is no shot named {cell}.")
                    cells[name] = shot.id
                else:
                    cells[name] = choice_of(axis_of(document, name), cell).name
        except BadValue as error:
            raise BadValue(f"Line {number} of the table: {error}") from None
        found.append(cells)
    return found


def from_words(document: Document, words: str) -> dict[str, str]:
    """Choices as they are told in one line, "Colour=Pine,Set=Night". Raises BadValue."""
    found: dict[str, str] = {}
    for piece in (p.strip() for p in words.split(",")):
        if not piece:
            continue
        name, equals, choice = piece.partition("=")
        if not equals:
            raise BadValue(f"“{piece}” is no choice; write it as Colour=Pine.")
        axis = axis_of(document, name.strip())
        found[axis.name] = choice_of(axis, choice.strip()).name if choice.strip().lower() not in ("", "base") or _has_base(axis) else ""
    return found


def _has_base(axis) -> bool:
    return any(c.name.lower() == "base" for c in axis.choices)


def in_words(choices: Mapping[str, str]) -> str:
    """Choices told in one line."""
    return ",".join(f"{axis}={choice}" for axis, choice in choices.items())
