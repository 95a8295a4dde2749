"""A contact sheet: all shots, or all variants of one, side by side with their names and settings, as a PDF to print or a PNG to send."""

import io
from pathlib import Path
from typing import Callable, NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.deliver.encoding import display_picture
from aulmo.document.assets import AssetStore
from aulmo.document.properties import resolve
from aulmo.document.quantity import show
from aulmo.document.records import Camera, Document, Shot
from aulmo.document.variants import chosen, in_full, shot_for, told
from aulmo.document.writing import write_atomically
from aulmo.errors import BadValue, CannotWrite
from aulmo.frame.exposure import ev100
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import render

LONGEST = 720  # pixels of a picture's longer side
SAMPLES = 24
MOST = 400  # variants on one sheet
PAGE = (842.0, 595.0)  # points of a landscape A4
MARGIN, GAP, WORDS = 36.0, 18.0, 40.0
FONTS = Path(__file__).parents[1] / "desk" / "fonts"


class Cell(NamedTuple):
    """A shot on the sheet: its picture (h, w, 3) uint8, its name, and lines of what it was taken with."""

    picture: np.ndarray
    name: str
    lines: tuple[str, ...]


def settings_of(document: Document, shot: Shot) -> tuple[str, ...]:
    """What a shot is taken with, in two lines."""
    camera: Camera = resolve(document, {"shot": shot.id}).cameras[shot.camera]
    lens = show(camera.focal_length_mm, "mm", 0) if camera.projection == "perspective" else camera.projection
    first = f"{camera.name} · {lens} · f/{camera.f_stop:g} · EV {ev100(camera):.1f}"
    second = f"{shot.width} × {shot.height} · {shot.view}"
    if camera.kelvin != 6500.0 or camera.tint != 0.0:
        second += f" · {camera.kelvin:.0f} K"
    return first, second + (f" · {shot.photograph.file}" if shot.photograph is not None else "")


def cells(document: Document, assets: AssetStore, tell: Callable[[float], object] = lambda share: True) -> list[Cell]:
    """All shots, traced small. `tell` hears how far it is, and may return False to give up."""
    builder, found = SceneBuilder(assets), []
    for number, shot in enumerate(document.shots):
        if tell(number / len(document.shots)) is False:
            raise BadValue("The contact sheet was given up.")
        found.append(Cell(_small(document, assets, shot, builder, LONGEST), shot.name, settings_of(document, shot)))
    return found


def _small(document: Document, assets: AssetStore, shot: Shot, builder: SceneBuilder, longest: int) -> np.ndarray:
    """(h, w, 3) uint8 of a shot, traced small."""
    settings = replace(document.render, stop="samples", samples=SAMPLES, denoise=True, passes=(), transparent=False)
    f = longest / max(shot.width, shot.height)
    picture = render(document, assets, shot, (max(1, round(shot.width * f)), max(1, round(shot.height * f))), settings, builder=builder)
    assert picture is not None
    return np.rint(np.clip(display_picture(picture)[..., :3], 0, 1) * 255).astype(np.uint8)


def write_range(
    document: Document, assets: AssetStore, shot: Shot, wanted: list[dict[str, str]], path: Path, tell: Callable[[float], object] = lambda share: True
) -> int:  # fmt: skip
    """Write a sheet of variants of a shot (or of the shots that choices bring along), .pdf or .png by its name; returns how many. Raises BadValue or
    CannotWrite with a sentence; a file already there stays."""
    path = _checked(Path(path))
    if not wanted:
        raise BadValue("There is no variant to put on the sheet.")
    if len(wanted) > MOST:
        raise BadValue(f"A sheet holds up to {MOST} variants; tick those that it should show.")
    builder, found = SceneBuilder(assets), []
    for number, picks in enumerate(wanted):
        if tell(number / len(wanted)) is False:
            raise BadValue("The sheet was given up.")
        of = chosen(document, in_full(document, picks))
        own = shot_for(document, picks) or shot
        seen = next(s for s in of.shots if s.id == own.id)
        found.append(Cell(_small(of, assets, seen, builder, LONGEST // 2), told(document, picks), (f"{own.name} · {own.width} × {own.height}",)))
    blob = _pdf(document.name, found, "variants") if path.suffix.lower() == ".pdf" else _png(document.name, found)
    write_atomically(path, lambda file: file.write(blob))
    return len(found)


def _checked(path: Path) -> Path:
    if path.suffix.lower() not in (".pdf", ".png"):
        raise BadValue(f"{path.name} should end in .pdf or .png.")
    if not path.parent.is_dir():
        raise CannotWrite(f"There is no folder {path.parent} to write to.")
    return path


def write_sheet(document: Document, assets: AssetStore, path: Path, tell: Callable[[float], object] = lambda share: True) -> None:
    """Write a contact sheet of all shots, .pdf or .png by its name. Raises BadValue or CannotWrite with a sentence; a file already there stays."""
    path = _checked(Path(path))
    if not document.shots:
        raise BadValue("There is no shot to put on a contact sheet.")
    made = cells(document, assets, tell)
    blob = _pdf(document.name, made, "shots") if path.suffix.lower() == ".pdf" else _png(document.name, made)
    write_atomically(path, lambda file: file.write(blob))


def _columns(count: int) -> int:
    return 1 if count == 1 else 2 if count <= 4 else 3


def pdf_type(weight: str) -> str:
    """The name in a PDF of the type that ships with the window; a PDF takes it as the font it was before it was packed for browsers."""
    from fontTools.ttLib import TTFont as Packed
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    name = f"IBMPlexSans-{weight}"
    if name not in pdfmetrics.getRegisteredFontNames():
        font, out = Packed(FONTS / f"{name}.woff"), io.BytesIO()
        font.flavor = None
        font.save(out)
        out.seek(0)
        pdfmetrics.registerFont(TTFont(name, out))
    return name


def _pdf(title: str, made: list[Cell], of: str) -> bytes:
    from PIL import Image
    from reportlab.lib.utils import ImageReader
    from reportlab.pdfgen.canvas import Canvas

    bold, plain, out = pdf_type("SemiBold"), pdf_type("Regular"), io.BytesIO()
    canvas = Canvas(out, pagesize=PAGE, pageCompression=1)
    canvas.setTitle(f"{title}, contact sheet")
    canvas.setCreator("Aulmo")
    columns = _columns(len(made))
    rows = 1 if len(made) <= 2 else 2
    width = (PAGE[0] - 2 * MARGIN - (columns - 1) * GAP) / columns
    height = (PAGE[1] - 2 * MARGIN - 24 - (rows - 1) * GAP) / rows - WORDS
    for start in range(0, len(made), columns * rows):
        canvas.setFont(bold, 12)
        canvas.drawString(MARGIN, PAGE[1] - MARGIN - 4, title)
        canvas.setFont(plain, 9)
        pages = -(-len(made) // (columns * rows))
        canvas.drawRightString(PAGE[0] - MARGIN, PAGE[1] - MARGIN - 4, f"{len(made)} {of} · page {start // (columns * rows) + 1} of {pages}")
        for k, cell in enumerate(made[start : start + columns * rows]):
            x = MARGIN + (k % columns) * (width + GAP)
            top = PAGE[1] - MARGIN - 24 - (k // columns) * (height + WORDS + GAP)
            h, w = cell.picture.shape[:2]
            f = min(width / w, height / h)
            blob = io.BytesIO()
            Image.fromarray(cell.picture).save(blob, "JPEG", quality=93)
            blob.seek(0)
            canvas.drawImage(ImageReader(blob), x, top - h * f, w * f, h * f)
            canvas.setFont(bold, 9)
            canvas.drawString(x, top - h * f - 12, cell.name)
            canvas.setFont(plain, 7.5)
            for n, line in enumerate(cell.lines):
                canvas.drawString(x, top - h * f - 22 - 10 * n, line)
        canvas.showPage()
    canvas.save()
    return out.getvalue()


def _png(title: str, made: list[Cell]) -> bytes:
    from PIL import Image, ImageDraw, ImageFont

    columns = _columns(len(made))
    side, gap, words = LONGEST // 2 if columns == 3 else LONGEST * 2 // 3, 24, 62
    rows = -(-len(made) // columns)
    tall = [max(round(c.picture.shape[0] * side / max(c.picture.shape[:2])) for c in made[r * columns : (r + 1) * columns]) for r in range(rows)]
    sheet = Image.new("RGB", (columns * (side + gap) + gap, 64 + sum(tall) + rows * (words + gap)), (250, 250, 250))
    draw = ImageDraw.Draw(sheet)
    kinds = (("SemiBold", 22), ("SemiBold", 16), ("Regular", 13))
    large, plain, small = (ImageFont.truetype(str(FONTS / f"IBMPlexSans-{weight}.woff"), n) for weight, n in kinds)
    draw.text((gap, 20), title, (20, 20, 20), large)
    y = 64
    for r in range(rows):
        for k, cell in enumerate(made[r * columns : (r + 1) * columns]):
            h, w = cell.picture.shape[:2]
            f = side / max(w, h)
            picture = Image.fromarray(cell.picture).resize((max(1, round(w * f)), max(1, round(h * f))), Image.Resampling.LANCZOS)
            x = gap + k * (side + gap)
            sheet.paste(picture, (x, y))
            draw.text((x, y + picture.height + 6), cell.name, (20, 20, 20), plain)
            for n, line in enumerate(cell.lines):
                draw.text((x, y + picture.height + 28 + 16 * n), line, (90, 90, 90), small)
        y += tall[r] + words + gap
    out = io.BytesIO()
    sheet.save(out, "PNG")
    return out.getvalue()
