"""Normals, of heights and of pictures."""



from aulmo.document.node_table import source_of
from aulmo.document.records import Node
from aulmo.surface import program as p
from aulmo.surface.emitter import Emitter
from aulmo.surface.lay import lay_row, plain_lay
from aulmo.surface.program import O_P, O_TO


def slope(e: Emitter, node: Node, context: tuple) -> int:
    """The normal of a height: its nodes are run at four points about the one that is seen."""
    value = node.inputs.get("in", 0.0)
    scale = e.source(node, "scale", context)
    if not isinstance(value, str):
        row = e.put(p.NORMAL)
        return int(row[O_TO])
    around = []
    names = e.above(source_of(value)[0])
    for k in range(1, 5):
        e.put(p.SHIFT, (), 0)[O_P] = k
        inner = (*context, (node.id, k))
        e.emit(names, inner)
        around.append(e.led(value, "number", inner))
    e.put(p.SHIFT, (), 0)
    row = e.put(p.SLOPE, [*around, scale])
    return int(row[O_TO])


def lay_behind(e: Emitter, node: Node) -> int:
    """The number of the lay of the first picture that leads a normal map, -1 for none."""
    value = node.inputs.get("in")
    for name in reversed(e.above(source_of(value)[0])) if isinstance(value, str) else ():
        one = e.by_id[name]
        if one.kind == "image" and not isinstance(one.inputs.get("texcoord"), str):
            lay = e.lay_of(one) or plain_lay(1.0, 0.0, e.plain(one, "turn"), 0.0, 0.0, one.projection, one.axis)
            assert e.pictures is not None
            return e.pictures.lay(lay_row(lay, 1.0))
        if one.kind in ("image", "tiledimage", "texcoord"):
            return e.coordinates(one)
    return -1


def normalmap(e: Emitter, node: Node, context: tuple) -> int:
    """A picture of normals."""
    row = e.put(p.NORMAL_MAP, (e.source(node, "in", context), e.source(node, "scale", context)))
    row[O_P] = lay_behind(e, node)
    return int(row[O_TO])


EMITTERS = {"heighttonormal": slope, "normalmap": normalmap}
