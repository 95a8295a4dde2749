"""The noises, ramps and splits of the standard."""



from aulmo.document.node_table import KINDS, choice_of
from aulmo.document.records import Node
from aulmo.surface import program as p
from aulmo.surface.emitter import Emitter
from aulmo.surface.program import O_FLAG, O_P, O_TO

_NOISES = {
    "noise2d": p.NOISE2, "noise3d": p.NOISE3, "fractal2d": p.FRACTAL2, "fractal3d": p.FRACTAL3, "cellnoise2d": p.CELL2, "cellnoise3d": p.CELL3,
    "worleynoise2d": p.WORLEY2, "worleynoise3d": p.WORLEY3,
}  # fmt: skip
_RAMPS = {"ramplr": 0, "ramptb": 1, "ramp4": 2, "splitlr": 3, "splittb": 4}


def noise(e: Emitter, node: Node, context: tuple) -> int:
    """The standard's noises: the place first, then what else a wire may lead."""
    kind = node.kind
    at = "position" if kind.endswith("3d") else "texcoord"
    place = e.source(node, at, context)
    more = [e.source(node, one.name, context) for one in KINDS[kind].inputs if one.led and one.name != at]
    root, scale = e.spread.get(place, (0, 0.0))
    row = e.put(_NOISES[kind], [place, *more])
    if root:
        e.slots[-1] = (*e.slots[-1], O_P)  # the register that knows the footprint is read as well
    row[O_P], row[O_P + 1] = root, scale
    if kind.startswith("fractal"):
        row[O_P + 2 : O_P + 5] = (
            min(16.0, max(1.0, round(e.plain(node, "octaves")))), e.plain(node, "lacunarity"), e.plain(node, "diminish"),
        )  # fmt: skip
    if kind.startswith("worley"):
        row[O_P + 2] = float(choice_of(kind, node.choices, "style"))
    return int(row[O_TO])


def ramp2d(e: Emitter, node: Node, context: tuple) -> int:
    """Ramps and splits over coordinates."""
    sources = [e.source(node, one.name, context) for one in KINDS[node.kind].inputs]
    row = e.put(p.RAMP2D, [sources[-1], *sources[:-1]])
    row[O_FLAG] = _RAMPS[node.kind]
    root, scale = e.spread.get(sources[-1], (0, 0.0))
    if root:
        e.slots[-1] = (*e.slots[-1], O_FLAG + 1)
    row[O_FLAG + 1], row[O_FLAG + 2] = root, scale
    return int(row[O_TO])


EMITTERS = {**{kind: noise for kind in _NOISES}, **{kind: ramp2d for kind in _RAMPS}}
