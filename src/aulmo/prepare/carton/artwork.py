"""Artwork on a carton: laid over the flat, and its plates made metal, relief, gloss and white ink."""

import io
import tempfile
from pathlib import Path
from typing import Any, Collection, Iterable

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.flat import Flat, flat_of
from aulmo.document.properties import get, is_there, put_many
from aulmo.document.records import Carton, Document, Lay, Material, Node, Print
from aulmo.errors import AulmoError, BadValue
from aulmo.prepare.carton import drawing, plates
from aulmo.prepare.carton.make import carton_of
from aulmo.prepare.carton.plates import DOTS_PER_MM, MOST_SIDE, Plates
from aulmo.prepare.carton.strokes import Stroke

Box = tuple[float, float, float, float]
SAME_MM = 0.6  # by which sizes may differ and still be meant to be one
BLEEDS_MM = (0.0, 2.0, 3.0, 5.0)
RELIEF_MM = {"emboss": 0.35, "deboss": 0.25, "varnish": 0.02}
GOLD = (0.9, 0.66, 0.3)
FOILS = {"silver": (0.86, 0.86, 0.85), "copper": (0.86, 0.5, 0.34), "gold": GOLD}
WHOLE = 128  # pixels: sides are halved so often without a rest, so that what is seen from far lies where it lies from near
OURS = "print-"  # begins the ids of nodes that follow from the prints


def where(flat: Flat, found: Plates, path: Path) -> tuple[Box, str]:
    """Where a page of artwork lies on the flat (left, bottom, right, top) in mm, and by what that was found: the drawing within the artwork, its trim
    box, its crop marks, its size; else it is fitted to the flat."""
    left, bottom, right, top = flat.box
    width, height = right - left, top - bottom
    page_wide, page_high = found.page
    if page_wide > 0:
        if path.suffix.lower() in drawing.FILES and (corner := _drawn_corner(path, width, height, found)) is not None:
            x, y = left - corner[0], bottom - corner[1]
            return (x, y, x + page_wide, y + page_high), "by the drawing in it"
        a, b, c, d = found.trim
        if abs(c - a - width) < SAME_MM and abs(d - b - height) < SAME_MM:
            return (left - a, bottom - b, left - a + page_wide, bottom - b + page_high), "by its trim box"
        for bleed in BLEEDS_MM:
            if abs(page_wide - 2 * bleed - width) < SAME_MM and abs(page_high - 2 * bleed - height) < SAME_MM:
                return (left - bleed, bottom - bleed, right + bleed, top + bleed), f"by its size with {bleed:g} mm of bleed"
        x, y = 0.5 * (left + right - page_wide), 0.5 * (bottom + top - page_high)
        return (x, y, x + page_wide, y + page_high), "in the middle, at its own size"
    high, wide = found.printed.shape[:2] if found.printed.size > 4 else next(iter(found.others.values())).shape
    grow = max(width / wide, height / high)
    x, y = 0.5 * (left + right - grow * wide), 0.5 * (bottom + top - grow * high)
    return (x, y, x + grow * wide, y + grow * high), "fitted to the flat"


def _drawn_corner(path: Path, width: float, height: float, found: Plates) -> tuple[float, float] | None:
    """The lower left corner, on the page, of lines in the artwork that are as large as the flat: by layer, by colour, or crop marks about it."""
    try:
        sheet = drawing.read_drawing(path)
    except AulmoError:
        return None
    page_left, page_bottom = (0.0, -found.page[1]) if path.suffix.lower() == ".svg" else (-found.trim[0], -found.trim[1])
    looks: dict[tuple, list[np.ndarray]] = {}
    for stroke in sheet.strokes:
        for key in {("layer", stroke.layer), ("name", stroke.name), ("look", stroke.colour), ("both", stroke.layer, stroke.colour)}:
            looks.setdefault(key, []).append(stroke.points)
    best: tuple[float, np.ndarray] | None = None
    for pieces in looks.values():
        points = np.concatenate(pieces)
        size = np.ptp(points, 0)
        off = max(abs(size[0] - width), abs(size[1] - height))
        if off < SAME_MM and (best is None or off < best[0]):
            best = (off, points.min(0))
    if best is None:
        corner = _crop_marks(sheet.strokes, width, height)
        if corner is None:
            return None
        best = (0.0, corner)
    x, y = best[1] - [page_left, page_bottom]
    return float(x), float(y)


def _crop_marks(strokes: Iterable[Stroke], width: float, height: float) -> np.ndarray | None:
    """The lower left corner of what short level and upright lines mark at its four corners."""
    level, upright = set(), set()
    for stroke in strokes:
        if len(stroke.points) == 2:
            a, b = stroke.points
            if 1.0 < abs(a[0] - b[0]) < 15 and abs(a[1] - b[1]) < 0.01:
                level.add(round(float(a[1]), 2))
            elif 1.0 < abs(a[1] - b[1]) < 15 and abs(a[0] - b[0]) < 0.01:
                upright.add(round(float(a[0]), 2))
    x = next((a for a in sorted(upright) for b in upright if abs(b - a - width) < SAME_MM), None)
    y = next((a for a in sorted(level) for b in level if abs(b - a - height) < SAME_MM), None)
    return np.array([x, y]) if x is not None and y is not None else None


def over_flat(flat: Flat, pixels: np.ndarray, box: Box, mirrored: bool) -> np.ndarray:
    """A page's pixels as they lie over the flat's own box; what lies beyond the page is empty. `mirrored` is for what is printed on the back."""
    from PIL import Image

    left, bottom, right, top = flat.box
    width, height = right - left, top - bottom
    dots = min(DOTS_PER_MM, MOST_SIDE / max(width, height))
    wide, high = (WHOLE * max(1, int(np.ceil(side * dots / WHOLE))) for side in (width, height))
    page = Image.fromarray(pixels)
    across, down = page.width / (box[2] - box[0]), page.height / (box[3] - box[1])
    x, y = (left - box[0]) * across, (box[3] - top) * down
    far_x, far_y = x + width * across, y + height * down
    if abs(far_x - x - wide) < 0.75 and abs(far_y - y - high) < 0.75:  # as fine as it was drawn: no need to draw it again
        made = page.crop((round(x), round(y), round(x) + wide, round(y) + high))
    else:
        edge = (int(np.floor(x)) - 1, int(np.floor(y)) - 1, int(np.ceil(far_x)) + 1, int(np.ceil(far_y)) + 1)
        inner = (x - edge[0], y - edge[1], far_x - edge[0], far_y - edge[1])
        made = page.crop(edge).resize((wide, high), Image.Resampling.BICUBIC, box=inner)
    whole = np.asarray(made)
    return np.ascontiguousarray(whole[:, ::-1]) if mirrored else whole


def _png(pixels: np.ndarray) -> bytes:
    from PIL import Image

    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG", compress_level=1)
    return out.getvalue()


def print_carton(
    document: Document, assets: AssetStore, part_id: str, path: Path, side: str = "front", box: Box | None = None, role: str = "",
) -> Document:  # fmt: skip
    """A carton with artwork on its front or back, laid over the whole flat where `where` finds it, or in a `box` on the flat. A file whose name says
    what it is, as "foil", or one with a `role`, becomes that plate beside what is printed already. Raises BadFile or BadValue with one sentence."""
    if side not in ("front", "back"):
        raise BadValue("Artwork lies on the front or the back.")
    carton = carton_of(document, part_id)
    flat = flat_of(carton.flat)
    path = Path(path)
    left, bottom, right, top = flat.box
    found = plates.read_plates(path, min(DOTS_PER_MM, MOST_SIDE / max(right - left, top - bottom)))
    if role:
        if role not in plates.ROLES:
            raise BadValue(f"A plate can be {', '.join(plates.ROLES)}.")
        if role != "print" and not found.others:
            found = found._replace(others={role: plates.coverage(found.printed)}, printed=np.zeros((1, 1, 4), np.uint8))
    lies = box or where(flat, found, path)[0]
    blob = path.read_bytes()
    original = assets.add(blob, path.suffix.lower())
    if original not in assets.origins:
        assets.add_file(blob, path)
    own = found.printed.size > 4
    kept = [p for p in carton.prints if p.side != side or (not own and p.role not in found.others)]
    fresh = []
    for name, pixels in (*([("print", found.printed)] if own else []), *found.others.items()):
        made = over_flat(flat, pixels, lies, side == "back")
        if name != "print" and not made.any():
            continue
        plate = assets.add(_png(made), ".png")
        fresh.append(Print(
            id=f"{side}-{name}", side=side, role=name, artwork=original, file=path.name, box=lies, by_hand=box is not None, plate=plate,  # type: ignore[arg-type]
            mm=RELIEF_MM.get(name, 0.0), tone=_tone(path.stem),
        ))  # fmt: skip
    carton = replace(carton, prints=(*kept, *fresh))
    return dressed(edits.change_part(document, part_id, carton=carton), part_id)


def _tone(name: str) -> Any:
    return next((FOILS[word] for word in FOILS if word in name.lower()), GOLD)


def drop_print(document: Document, part_id: str, side: str) -> Document:
    """A carton without artwork on a side."""
    carton = carton_of(document, part_id)
    kept = tuple(p for p in carton.prints if p.side != side)
    return dressed(edits.change_part(document, part_id, carton=replace(carton, prints=kept)), part_id)


def moved_print(document: Document, assets: AssetStore, part_id: str, side: str, by: tuple[float, float]) -> Document:
    """A carton whose artwork on a side lies elsewhere on the flat, by so many mm. Raises BadFile when the artwork's file is gone, BadValue."""
    carton = carton_of(document, part_id)
    held = [p for p in carton.prints if p.side == side and p.artwork and p.box]
    if not held:
        raise BadValue(f"Nothing is printed on the {side} yet.")
    for name in dict.fromkeys(p.artwork for p in held):
        one = next(p for p in held if p.artwork == name)
        a, b, c, d = one.box or (0.0, 0.0, 1.0, 1.0)
        box = (a + by[0], b + by[1], c + by[0], d + by[1])
        role = one.role if one.role != "print" and sum(p.artwork == name for p in held) == 1 else ""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / one.file
            path.write_bytes(assets.get(name or ""))
            document = print_carton(document, assets, part_id, path, side, box, role)
    return document


def with_height(document: Document, part_id: str, print_id: str, mm: float) -> Document:
    """A carton with relief or varnish of another height. Raises BadValue."""
    return dressed(put_many(document, {f"parts/{part_id}/carton/prints/{print_id}/mm": mm}), part_id)


def plate_of_colour(document: Document, assets: AssetStore, part_id: str, side: str, role: str, colour: tuple[int, int, int]) -> Document:
    """A carton with a plate wherever what is printed on a side has a colour (0..255 each). Raises BadValue."""
    from PIL import Image

    carton = carton_of(document, part_id)
    held = next((p for p in carton.prints if p.side == side and p.role == "print" and p.plate), None)
    if held is None or role not in plates.ROLES or role == "print":
        raise BadValue("A plate is taken from a colour of artwork that is printed already.")
    pixels = np.asarray(Image.open(io.BytesIO(assets.get(held.plate or ""))).convert("RGBA"))
    mask = plates.of_colour(pixels, colour)
    if not mask.any():
        raise BadValue("The artwork has that colour nowhere.")
    plate = assets.add(_png(mask), ".png")
    made = replace(held, id=f"{side}-{role}", role=role, plate=plate, mm=RELIEF_MM.get(role, 0.0), tone=GOLD)  # type: ignore[arg-type]  # a role
    kept = tuple(p for p in carton.prints if p.id != made.id)
    return dressed(edits.change_part(document, part_id, carton=replace(carton, prints=(*kept, made))), part_id)


# what it is made of


def dressed(document: Document, part_id: str) -> Document:
    """A carton whose front and back wear what is printed on them. What the artist added to those materials stays."""
    carton = carton_of(document, part_id)
    for side, address in (("front", f"parts/{part_id}"), ("back", f"parts/{part_id}/face_sets/back")):
        document = _dressed_side(document, carton, side, address)
    return document


def _dressed_side(document: Document, carton: Carton, side: str, address: str) -> Document:
    if not is_there(document, address):
        return document
    prints: dict[str, Print] = {p.role: p for p in carton.prints if p.side == side and p.plate}
    worn = get(document, f"{address}/material")
    material = document.materials.get(worn or "")
    has = material is not None and any(n.id.startswith(OURS) for n in material.nodes)
    if not prints and not has:
        return document
    if material is None or (not has and set(edits.wearers(document, material.id)) != {address}):
        base = material or Material(edits.new_id(), "Board")
        material = replace(base, id=edits.new_id(), name=edits.free_name(f"{base.name}, printed", (m.name for m in document.materials.values())))
    made = with_prints(material, prints)
    document = edits.put_material(document, made)
    return edits.drop_unused_materials(edits.dress(document, [address], made.id))


def with_prints(material: Material, prints: dict[str, Print]) -> Material:
    """A material with the plates of one side wired: print over the board's colour, foil as metal, relief in mm, varnish as a coat."""
    ours = {n.id for n in material.nodes if n.id.startswith(OURS)}
    nodes = [n for n in material.nodes if n.id not in ours]
    wires = {k: v for k, v in material.wires.items() if v.partition(":")[0] not in ours}
    lays = [one for one in material.lays if one.id != f"{OURS}lay"]
    if not prints:
        return replace(material, nodes=tuple(nodes), wires=wires, lays=tuple(lays))
    lay = Lay(id=f"{OURS}lay", name="Over the flat", projection="uv", tile="none")
    surface = material.surface

    def node(name: str, kind: str, **how: Any) -> str:
        nodes.append(Node(id=OURS + name, kind=kind, **how))
        return f"@{OURS}{name}"

    def plate(role: str) -> str:
        held = prints[role]
        return node(role, "image", image=held.plate, file=held.file, as_colour=False, channel="red", lay=lay.id)

    colour: Any = surface.base_color
    rough: Any = surface.specular_roughness
    height = ""
    if "white" in prints:
        colour = node("on-white", "mix", inputs={"fg": (0.82, 0.82, 0.82), "bg": colour, "mix": plate("white")})
    if "print" in prints:
        held = prints["print"]
        art = node("art", "image", image=held.plate, file=held.file, channel="solid", lay=lay.id)
        ink = node("ink", "image", image=held.plate, file=held.file, as_colour=False, channel="alpha", lay=lay.id)
        colour = node("inked", "mix", inputs={"fg": art, "bg": colour, "mix": ink})
    if "soft" in prints:
        rough = node("soft-rough", "mix", inputs={"fg": 0.8, "bg": rough, "mix": plate("soft")})
    if "foil" in prints:
        foil = plate("foil")
        colour = node("foiled", "mix", inputs={"fg": prints["foil"].tone, "bg": colour, "mix": foil})
        rough = node("foil-rough", "mix", inputs={"fg": 0.16, "bg": rough, "mix": foil})
        wires["base_metalness"] = foil[1:]
    if "varnish" in prints:
        varnish = plate("varnish")
        wires["coat_weight"] = varnish[1:]
        surface = replace(surface, coat_roughness=0.05, coat_ior=1.5, coat_darkening=0.3)
        if prints["varnish"].mm:
            wires["coat_height"] = node("varnish-high", "multiply", inputs={"in1": varnish, "in2": prints["varnish"].mm})[1:]
    for role in ("emboss", "deboss"):
        if role in prints:
            sign = 1.0 if role == "emboss" else -1.0
            own = node(f"{role}-high", "multiply", inputs={"in1": plate(role), "in2": sign * prints[role].mm})
            height = node("relief", "add", inputs={"in1": height, "in2": own}) if height else own
    if isinstance(colour, str):
        wires["base_color"] = colour[1:]
    if isinstance(rough, str):
        wires["specular_roughness"] = rough[1:]
    if height:
        wires["height"] = height[1:]
    return replace(material, surface=surface, nodes=tuple(nodes), wires=wires, lays=(*lays, lay))


def needs_printing(document: Document, names: Collection[str]) -> bool:
    """Whether any carton is printed with one of some files, by their names among the assets."""
    return any(p.artwork in names for part in document.parts.values() if part.carton is not None for p in part.carton.prints)


def printed_again(document: Document, assets: AssetStore, names: Collection[str]) -> Document:
    """Cartons whose artwork is one of some files that were read again: their plates made anew, where they lie."""
    for part in list(document.parts.values()):
        for held in {(p.side, p.artwork): p for p in part.carton.prints if p.artwork in names}.values() if part.carton is not None else ():
            origin = assets.origins.get(held.artwork or "")
            if origin is not None:
                document = print_carton(document, assets, part.id, Path(origin), held.side, held.box if held.by_hand else None)
    return document
