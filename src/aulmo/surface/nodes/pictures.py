"""Pictures and letters, laid on the part or looked up by coordinates."""

import functools
import math

import numpy as np
from msgspec.structs import replace

from aulmo.document.apart import here
from aulmo.document.node_table import choice_of
from aulmo.document.records import Decal, Lay, Node
from aulmo.errors import BadValue
from aulmo.surface import program as p
from aulmo.surface.artwork import drawing
from aulmo.surface.emitter import Emitter, Missing
from aulmo.surface.lay import lay_row, limited, plain_lay
from aulmo.surface.picture import read_picture
from aulmo.surface.program import O_P, O_TO

_ADDRESSES = {"periodic": 0, "clamp": 1, "mirror": 2, "constant": 3}
TEXT_SIDE = 2048  # pixels along a drawn text


def picture_of(e: Emitter, node: Node) -> tuple[int, float]:
    """(number of its picture, height over width). Raises Missing, or BadValue with a sentence."""
    if not node.image:
        raise Missing(f"{node.file} is missing." if node.file else f"{node.name or node.id} has no picture yet.")
    assert e.pictures is not None
    h, w = e.pictures.shape(node.image)
    return e.pictures.number(node.image, node.as_colour, node.channel not in ("colour", "alpha")), h / w


def image(e: Emitter, node: Node, context: tuple) -> int:
    """A picture laid on the part, or looked up where a wire leads its coordinates."""
    picture, shape = picture_of(e, node)
    assert e.pictures is not None
    own = node.inputs
    if node.kind == "tiledimage" or isinstance(own.get("texcoord"), str):
        return image_at(e, node, context, picture)
    lay = e.lay_of(node) or plain_lay(
        e.size(node, "width_mm"), e.plain(node, "height_mm"), e.plain(node, "turn"), e.plain(node, "offset_x_mm"),
        e.plain(node, "offset_y_mm"), node.projection, node.axis,
    )  # fmt: skip
    row = e.put(p.IMAGE)
    if not node.as_colour:
        e.plain_data.add(int(row[O_TO]))
    lay_image(e, row, lay, picture, shape, limited(lay) or (node.channel == "colour" and e.pictures.sees_through(node.image or "")))
    row[p.I_CHANNEL], row[p.I_STRENGTH], row[p.I_GREEN] = p.CHANNELS.index(node.channel), e.plain(node, "strength"), node.green_down
    row[p.O_ADJUST :] = p.adjust_row(node.adjust, node.as_colour)
    return int(row[O_TO])


def lay_image(e: Emitter, row: np.ndarray, lay: Lay, picture: int, shape: float, bare: bool) -> None:
    """The numbers of a picture laid on the part."""
    if not lay.width_mm > 0 or not (lay.keep_shape or lay.height_mm > 0):
        raise BadValue(f"The size of a picture of {e.material.name} has to be above zero.")
    assert e.pictures is not None
    row[p.I_PICTURE], row[p.I_LAY] = picture, e.pictures.lay(lay_row(lay, shape))
    row[p.I_WIDTH] = math.inf if bare or lay.projection == "uv" else lay.width_mm
    row[p.I_STRENGTH] = 1.0
    row[p.I_WRAPS] = lay.tile == "both" and not lay.mirror and not lay.gap_x_mm and not lay.gap_y_mm
    row[p.I_BLEND] = lay.blend if lay.projection == "box" else 0.0
    e.covered.add(int(row[O_TO]))


def image_at(e: Emitter, node: Node, context: tuple, picture: int) -> int:
    """A picture looked up at coordinates that a wire brings, tiled as the standard says."""
    place = e.source(node, "texcoord", context)
    tiles = e.source(node, "uvtiling", context) if node.kind == "tiledimage" else e.constant((1.0, 1.0, 0.0), "tiles")
    shift = e.source(node, "uvoffset", context) if node.kind == "tiledimage" else e.constant((0.0, 0.0, 0.0), "shift")
    root, scale = e.spread.get(place, (0, 0.0))
    if node.kind == "tiledimage":
        size, tile = (e.literal(node, k) for k in ("realworldimagesize", "realworldtilesize"))
        ratio = tuple(b / a if abs(a) > 1e-12 else 1.0 for a, b in zip(size, tile))
        if ratio[:2] != (1.0, 1.0):
            by = e.constant((ratio[0], ratio[1], 0.0), "tile")
            tiles, shift = (int(e.put(p.MULTIPLY, (s, by))[O_TO]) for s in (tiles, shift))
        scale *= max(abs(v) for v in e.literal(node, "uvtiling")[:2])
    row = e.put(p.IMAGE_AT, (place, tiles, shift))
    if root:
        e.slots[-1] = (*e.slots[-1], O_P + 1)
    row[O_P], row[O_P + 1], row[O_P + 2], row[O_P + 3] = picture, root, scale, p.CHANNELS.index(node.channel)
    for k, key in enumerate(("uaddressmode", "vaddressmode")):
        row[O_P + 4 + k] = _ADDRESSES[choice_of("image", node.choices, key)] if node.kind == "image" else 0.0
    row[p.O_ADJUST :] = p.adjust_row(node.adjust, node.as_colour)
    return int(row[O_TO])


def text(e: Emitter, node: Node, context: tuple) -> int:
    """Letters, drawn and laid as a picture."""
    words = choice_of("text", node.choices, "text").strip() or "Text"
    decal = Decal(id="", name="", artwork="text", text=words)
    drawn = drawing(decal)
    pixels = here(read_picture)(drawn.encode(), "text.svg", long_side=256)
    shape = pixels.height / pixels.width
    assert e.pictures is not None
    drawn_here = functools.partial(here(read_picture), drawn.encode(), "text.svg", long_side=TEXT_SIDE)
    picture = e.pictures.number(f"text@{TEXT_SIDE}:{words}", False, make=drawn_here)
    height = e.size(node, "height_mm")
    lay = e.lay_of(node) or plain_lay(1.0, 1.0, 0.0, 0.0, 0.0, node.projection, node.axis)
    repeat = {"once": "none", "both": "both", "rows": "across", "columns": "down"}[choice_of("text", node.choices, "repeat")]
    gap = max(0.0, e.plain(node, "gap_mm"))
    lay = replace(
        lay, width_mm=height / shape, height_mm=height, keep_shape=False, rotate=lay.rotate + e.plain(node, "turn"), tile=repeat,
        offset_x_mm=lay.offset_x_mm + e.plain(node, "offset_x_mm"), offset_y_mm=lay.offset_y_mm + e.plain(node, "offset_y_mm"),
        gap_x_mm=gap, gap_y_mm=gap,
    )  # fmt: skip
    row = e.put(p.IMAGE)
    lay_image(e, row, lay, picture, shape, True)
    row[p.I_CHANNEL] = p.CHANNELS.index("alpha")
    e.covered.discard(int(row[O_TO]))
    nothing = e.constant(0.0, "")
    row = e.put(p.MIX, (nothing, int(row[O_TO]), cover_of(e, int(row[O_TO]))))
    return int(row[O_TO])


def cover_of(e: Emitter, register: int) -> int:
    """How much of the footprint a picture covers."""
    row = e.put(p.EXTRACT, (register,))
    row[O_P] = 3
    return int(row[O_TO])


EMITTERS = {"image": image, "tiledimage": image, "text": text}
