"""Artwork as plates: what is printed, and what is stamped, raised, varnished: told apart by the names of layers, spot colours and files."""

import io
import re
from pathlib import Path
from typing import Any, Callable, NamedTuple

import numpy as np

from aulmo.document.apart import apart, here, told
from aulmo.errors import BadFile
from aulmo.prepare.carton.drawing_pdf import POINT_MM, marked_layer, spot_of
from aulmo.prepare.carton.strokes import label_of

FILES = (".pdf", ".svg", ".png", ".tif", ".tiff", ".jpg", ".jpeg")
MOST_SIDE, DOTS_PER_MM = 6144, 20.0  # of a plate
ROLES: dict[str, str] = {
    "print": "Print", "foil": "Foil", "emboss": "Emboss", "deboss": "Deboss", "varnish": "Spot varnish", "white": "White", "soft": "Soft touch",
}  # fmt: skip
WORDS = (
    ("foil", r"foil|hot.?stamp|stamping"), ("deboss", r"debos"), ("emboss", r"embos|blind|relief"), ("soft", r"soft.?touch|velvet"),
    ("white", r"white|weiss"), ("varnish", r"varnish|spot.?uv|\buv\b|lack|lacquer|gloss"),
    ("left", r"die.?line|\bdie\b|cut|crease|fold|stanz|score|perf|dimension|guide|note|legend"),
)  # fmt: skip
PDF_PAINTS = {"S", "s", "f", "F", "f*", "B", "B*", "b", "b*"}
PDF_LETTERS = {"Tj", "TJ", "'", '"'}


class Plates(NamedTuple):
    """What a file of artwork holds: (h, w, 4) pixels of what is printed, (h, w) shares of 255 of other plates by role; the page's width and height in
    mm (0 where the file has no measure), and its trim box (left, bottom, right, top) on it."""

    printed: np.ndarray
    others: dict[str, np.ndarray]
    page: tuple[float, float]
    trim: tuple[float, float, float, float]


def role_of(name: str) -> str:
    """The role that a name says, "left" for lines that are no artwork, "print" for nothing in particular."""
    words = name.lower().replace("_", " ")
    return next((role for role, pattern in WORDS if words and re.search(pattern, words)), "print")


@apart(seconds=120, gigabytes=6)
def read_plates(path: Path, dots_per_mm: float) -> Plates:
    """The plates of a file of artwork, so many pixels to a mm where it has a measure. Raises BadFile with one sentence."""
    path = Path(path)
    kind = path.suffix.lower()
    if kind not in FILES:
        raise BadFile(f"{path.name} is no artwork Aulmo prints; it prints PDF, SVG, PNG, TIFF and JPEG.")
    with told(path.name, "no artwork"):
        blob = path.read_bytes()
        if kind in (".pdf", ".svg"):
            found = (_pdf if kind == ".pdf" else _svg)(blob, path.name, dots_per_mm)
        else:
            found = _pixels(blob, path.name)
    own = role_of(path.stem)
    if own not in ("print", "left") and not found.others:
        return found._replace(printed=np.zeros((1, 1, 4), np.uint8), others={own: coverage(found.printed)})
    return found


def coverage(pixels: np.ndarray) -> np.ndarray:
    """(h, w) how much ink a picture of one plate lays: by its alpha where that tells, else by its darkness."""
    alpha = pixels[..., 3]
    if alpha.min() < 250:
        return alpha
    light = pixels[..., :3].astype(float) @ [0.2126, 0.7152, 0.0722]
    return np.clip(255 - light, 0, 255).astype(np.uint8)


def of_colour(pixels: np.ndarray, colour: tuple[int, int, int], within: float = 40.0) -> np.ndarray:
    """(h, w) where a picture has a colour (0..255), falling off to nothing `within` that distance."""
    off = np.linalg.norm(pixels[..., :3].astype(float) - colour, axis=2)
    return np.clip(255 * (1.5 - 1.5 * off / within), 0, 255).astype(np.uint8) * (pixels[..., 3] > 127)


def _fitting(dots: float, width: float, height: float) -> float:
    return min(dots, MOST_SIDE / max(width, height, 1e-6))


# pictures


def _pixels(blob: bytes, name: str) -> Plates:
    from aulmo.surface.picture import read_picture

    found = here(read_picture)(blob, name)
    codes = found.codes
    if codes.dtype == np.uint16:
        codes = (codes >> 8).astype(np.uint8)
    if codes.shape[2] < 3:
        codes = np.concatenate([np.repeat(codes[..., :1], 3, 2), *([codes[..., 1:]] if codes.shape[2] == 2 else [])], 2)
    if codes.shape[2] == 3:
        codes = np.concatenate([codes, np.full((*codes.shape[:2], 1), 255, np.uint8)], 2)
    mm = 25.4 / found.dpi if found.dpi > 1 else 0.0
    page = (found.width * mm, found.height * mm)
    return Plates(np.ascontiguousarray(codes), {}, page, (0.0, 0.0, *page))


# drawings


def _svg(blob: bytes, name: str, dots: float) -> Plates:
    import xml.etree.ElementTree as Tree

    from aulmo.surface.picture import read_picture, sized, svg_text

    Tree.register_namespace("", "http://www.w3.org/2000/svg")
    Tree.register_namespace("xlink", "http://www.w3.org/1999/xlink")
    text = svg_text(blob)
    _, wide, high = sized(text, 1)
    width, height = wide * 25.4 / 96, high * 25.4 / 96
    side = int(np.ceil(_fitting(dots, width, height) * max(width, height)))
    root = Tree.fromstring(re.sub(r"<!DOCTYPE[^>\[]*(\[[^\]]*\])?[^>]*>", "", text))
    roles = {id(one): role_of(name) for one in root.iter() if (name := label_of(one.attrib))}

    def drawn(wanted: str) -> np.ndarray:
        copy = _with_role(root, roles, wanted, "print")
        return here(read_picture)(Tree.tostring(copy, "utf-8"), name, long_side=side).codes if copy is not None else np.zeros((1, 1, 4), np.uint8)

    others = {role: drawn(role)[..., 3] for role in ROLES if role != "print" and role in roles.values()}
    return Plates(drawn("print"), others, (width, height), (0.0, 0.0, width, height))


def _with_role(element: Any, roles: dict[int, str], wanted: str, now: str) -> Any:
    """A copy of a drawing's tree with what has a role alone; what other things refer to stays."""
    import copy

    own = roles.get(id(element), now)
    own = now if own == "print" else own
    tag = str(element.tag).rsplit("}", 1)[-1]
    if tag in ("defs", "style", "clipPath", "mask", "linearGradient", "radialGradient", "pattern", "symbol", "filter"):
        return copy.deepcopy(element)
    made = element.makeelement(element.tag, dict(element.attrib))
    made.text, made.tail = element.text, element.tail
    inner = [child for one in element if (child := _with_role(one, roles, wanted, own)) is not None]
    if tag in ("svg", "g", "a", "switch"):
        made.extend(inner)
        return made
    if own != wanted:
        return None
    made.extend(inner)
    return made


# PDF


def _pdf(blob: bytes, name: str, dots: float) -> Plates:
    import pikepdf

    try:
        opened = pikepdf.open(io.BytesIO(blob))
    except pikepdf.PasswordError as error:
        raise BadFile(f"{name} is locked by a password.") from error
    with opened as file:
        page = file.pages[0]
        media = [float(v) for v in page.mediabox]
        trim = [float(v) for v in page.trimbox]
        unit = POINT_MM * float(page.obj.get("/UserUnit", 1.0))
        width, height = abs(media[2] - media[0]) * unit, abs(media[3] - media[1]) * unit
        turned = int(page.obj.get("/Rotate", 0)) % 360
        box = tuple((trim[k] - media[k % 2]) * unit for k in range(4))
        roles = _pdf_roles(file, page)
        scale = _fitting(dots, width, height) * unit
        pictures = {role: _pdf_drawn(blob, role, scale) for role in ["print", *sorted(roles - {"print", "left"})]}
    if turned in (90, 270):
        width, height = height, width
        left, bottom, right, top = box
        box = (bottom, height - right, top, height - left) if turned == 90 else (width - top, left, width - bottom, right)
    elif turned == 180:
        box = (width - box[2], height - box[3], width - box[0], height - box[1])
    others = {role: pixels[..., 3] for role, pixels in pictures.items() if role != "print"}
    return Plates(pictures["print"], others, (width, height), (box[0], box[1], box[2], box[3]))


def _pdf_roles(file: Any, page: Any) -> set[str]:
    names = []
    try:
        names += [str(one.get("/Name", "")) for one in file.Root.OCProperties.get("/OCGs", [])]
    except AttributeError:
        pass
    names += [spot_of(space) for space in page.resources.get("/ColorSpace", {}).values()]
    return {role_of(name) for name in names if name}


def _pdf_drawn(blob: bytes, role: str, scale: float) -> np.ndarray:
    """(h, w, 4) pixels of the first page with what has a role alone."""
    import pikepdf
    import pypdfium2

    out = io.BytesIO()
    with pikepdf.open(io.BytesIO(blob)) as file:
        page = file.pages[0]
        page.obj.Contents = file.make_stream(_filtered(file, page.obj, page.resources, lambda found: found == role, set()))
        page.obj["/CropBox"] = page.obj.get("/MediaBox", page.mediabox)
        if "/OCProperties" in file.Root:
            del file.Root["/OCProperties"]
        file.save(out)
    document = pypdfium2.PdfDocument(out.getvalue())
    try:
        bitmap = document[0].render(scale=scale, fill_color=(255, 255, 255, 0), rev_byteorder=True, maybe_alpha=False,
                                    force_bitmap_format=pypdfium2.raw.FPDFBitmap_BGRA)  # fmt: skip
        return np.array(bitmap.to_numpy())
    finally:
        document.close()


def _filtered(file: Any, content: Any, resources: Any, keep: Callable[[str], bool], seen: set) -> bytes:
    """A content stream that paints only what has the wanted role: by its layer, else by its spot colour."""
    import pikepdf

    spaces = resources.get("/ColorSpace", {}) if resources is not None else {}
    fill = stroke = ""
    kept: list[tuple[str, str]] = []
    marks: list[str] = []
    made: list[Any] = []

    def wanted(space: str) -> bool:
        layer = next((role_of(m) for m in reversed(marks) if m), "print")
        return keep(layer if layer != "print" else role_of(space))

    for operands, operator in pikepdf.parse_content_stream(content):
        name = str(operator)
        if name == "q":
            kept.append((fill, stroke))
        elif name == "Q" and kept:
            fill, stroke = kept.pop()
        elif name in ("cs", "CS"):
            space = spaces.get(str(operands[0]))
            spot = spot_of(space) if space is not None else ""
            fill, stroke = (spot, stroke) if name == "cs" else (fill, spot)
        elif name in ("rg", "g", "k"):
            fill = ""
        elif name in ("RG", "G", "K"):
            stroke = ""
        elif name in ("BDC", "BMC"):
            layer_of_it = marked_layer(operands, resources)
            marks.append(str(layer_of_it.get("/Name", "")) if layer_of_it is not None else "")
        elif name == "EMC" and marks:
            marks.pop()
        elif name in PDF_PAINTS and not wanted(stroke if name in ("S", "s") else fill):
            operator, operands = pikepdf.Operator("n"), []
        elif (name in PDF_LETTERS or name == "sh" or name == "INLINE IMAGE") and not wanted(fill):
            continue
        elif name == "Do":
            form = resources.get("/XObject", {}).get(str(operands[0]))
            if form is None:
                continue
            if form.get("/Subtype") == "/Form":
                layer = next((m for m in reversed(marks) if m), "") or (str(form["/OC"].get("/Name", "")) if "/OC" in form else "")
                role = role_of(layer)
                key = (form.objgen, role)
                if key not in seen and len(seen) < 500:
                    seen.add(key)
                    inner = (lambda found, own=role: keep(own)) if role != "print" else keep
                    form.write(_filtered(file, form, form.get("/Resources", resources), inner, seen))
            elif not wanted(spot_of(form["/ColorSpace"]) if "/ColorSpace" in form else ""):
                continue
        made.append((operands, operator))
    return pikepdf.unparse_content_stream(made)
