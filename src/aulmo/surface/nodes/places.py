"""Places and directions."""


from msgspec.structs import replace

from aulmo.document.records import Node
from aulmo.surface import program as p
from aulmo.surface.emitter import Emitter
from aulmo.surface.program import O_A, O_FLAG, O_P, O_TO


def texcoord(e: Emitter, node: Node, context: tuple) -> int:
    """Coordinates of a lay, or the file's own."""
    return e.standing(node, "texcoord")


def position(e: Emitter, node: Node, context: tuple) -> int:
    """Where in space, of the part or of the world."""
    row = e.put(p.WORLD_POSITION if e.chosen(node, "space") == "world" else p.POSITION)
    e.spread[int(row[O_TO])] = (int(row[O_TO]), 1.0)
    return int(row[O_TO])


def direction(e: Emitter, node: Node, context: tuple) -> int:
    """The normal or the tangent."""
    row = e.put(p.NORMAL if node.kind == "normal" else p.TANGENT)
    row[O_P] = e.chosen(node, "space") == "world"
    return int(row[O_TO])


def facing(e: Emitter, node: Node, context: tuple) -> int:
    """How much the surface faces the camera."""
    row = e.put(p.FACING)
    row[O_P] = max(0.0, e.plain(node, "power"))
    if e.chosen(node, "invert") == "yes":
        row = e.put(p.INVERT, (int(row[O_TO]),))
    return int(row[O_TO])


def fact(e: Emitter, node: Node, context: tuple) -> int:
    """What is known of the part."""
    prop = e.chosen(node, "geomprop")
    if prop == "uv":
        return e.standing(replace(node, lay=""), "texcoord")
    row = e.put(p.RANDOM_OF if prop == "random" else p.PART_FACT, (e.constant(0.0, ""), e.constant(1.0, "")))
    row[O_P] = {"size": 0, "middle": 1, "random": 0}[prop]
    return int(row[O_TO])


def random_of(e: Emitter, node: Node, context: tuple) -> int:
    """A number of the part's own."""
    row = e.put(p.RANDOM_OF, (e.source(node, "min", context), e.source(node, "max", context)))
    row[O_P] = e.plain(node, "seed")
    return int(row[O_TO])


def place2d(e: Emitter, node: Node, context: tuple) -> int:
    """Coordinates moved, turned and scaled."""
    row = e.put(p.PLACE2, [e.source(node, k, context) for k in ("texcoord", "pivot", "scale", "rotate", "offset")])
    row[O_FLAG] = float(e.chosen(node, "operationorder"))
    known = e.spread.get(int(row[O_A]))
    if known is not None:
        e.spread[int(row[O_TO])] = (known[0], known[1] / max(1e-9, min(abs(v) for v in e.literal(node, "scale")[:2])))
    return int(row[O_TO])


def extract(e: Emitter, node: Node, context: tuple) -> int:
    """One number of three."""
    row = e.put(p.EXTRACT, (e.source(node, "in", context),))
    row[O_P] = float(e.chosen(node, "index"))
    return int(row[O_TO])


EMITTERS = {
    "texcoord": texcoord, "position": position, "normal": direction, "tangent": direction, "facingratio": facing, "geompropvalue": fact,
    "random": random_of, "place2d": place2d, "extract": extract,
}  # fmt: skip
