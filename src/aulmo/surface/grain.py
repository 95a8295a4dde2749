"""The grain of the shelf's swatches: nodes in real millimetres for wood, stone, cloth and rough metal.

Wherever it can be, grain is led to `base_weight`, which multiplies: the colour of the material stays the artist's to choose.
"""

from aulmo.document.records import Node

Grain = tuple[tuple[Node, ...], dict[str, str]]


def _wood(ring_mm: float, late: tuple, waver: float, fibre: float, relief_mm: float) -> Grain:
    """Wood that grew along z; `late` is the colour of late wood over that of early wood."""
    grain = Node("wood", "wood", {"ring_mm": ring_mm, "first": (1.0, 1.0, 1.0), "second": late, "waver": waver, "fibre": fibre})
    if relief_mm == 0.0:
        return (grain,), {"base_weight": "wood"}
    fibres = Node("fibres", "noise", {"size_mm": 0.5, "octaves": 2.0, "stretch": 50.0})
    relief = Node("relief", "range", {"in": "@fibres", "outlow": 0.0, "outhigh": relief_mm})
    return (grain, fibres, relief), {"base_weight": "wood", "height": "relief"}


def _mottled(size_mm: float, dark: float, light: float, relief_mm: float = 0.0, octaves: float = 5.0, **noise: float) -> Grain:
    """Uneven in tone, and in height where `relief_mm` is not 0."""
    tone = Node("mottle", "noise", {"size_mm": size_mm, "octaves": octaves, **noise})
    shade = Node("shade", "range", {"in": "@mottle", "inlow": 0.25, "inhigh": 0.75, "outlow": dark, "outhigh": light})
    if relief_mm == 0.0:
        return (tone, shade), {"base_weight": "shade"}
    relief = Node("relief", "range", {"in": "@mottle", "outlow": 0.0, "outhigh": relief_mm})
    return (tone, shade, relief), {"base_weight": "shade", "height": "relief"}


def _rough(size_mm: float, relief_mm: float, octaves: float = 3.0, **noise: float) -> Grain:
    """Relief alone."""
    rough = Node("rough", "noise", {"size_mm": size_mm, "octaves": octaves, **noise})
    relief = Node("relief", "range", {"in": "@rough", "outlow": 0.0, "outhigh": relief_mm})
    return (rough, relief), {"height": "relief"}


def _woven(yarn_mm: float, over: float, uneven: float, dark: float, relief_mm: float) -> Grain:
    """Cloth: the gaps between yarns are darker and deeper."""
    cloth = Node("cloth", "weave", {"size_mm": yarn_mm, "over": over, "uneven": uneven})
    shade = Node("shade", "range", {"in": "@cloth", "inlow": 0.2, "inhigh": 0.9, "outlow": dark, "outhigh": 1.0})
    relief = Node("relief", "range", {"in": "@cloth", "outlow": 0.0, "outhigh": relief_mm})
    return (cloth, shade, relief), {"base_weight": "shade", "height": "relief"}


def _veined(target: str, size_mm: float, ground: tuple, vein: tuple, width: float) -> Grain:
    """Veins where noise crosses its middle, over clouds."""
    clouds = Node("veins", "noise", {"size_mm": size_mm, "octaves": 6.0, "gain": 0.55, "fold": 1.0})
    amount = Node("amount", "range", {"in": "@veins", "inlow": 0.0, "inhigh": width, "outlow": 1.0, "outhigh": 0.0})
    where = Node("where", "noise", {"size_mm": 2.0 * size_mm, "octaves": 2.0, "seed": 7.0})
    strength = Node("strength", "range", {"in": "@where", "inlow": 0.35, "inhigh": 0.6})
    both = Node("both", "multiply", {"in1": "@amount", "in2": "@strength"})
    stone = Node("stone", "mix", {"bg": ground, "fg": vein, "mix": "@both"})
    return (clouds, amount, where, strength, both, stone), {target: "stone"}


GRAIN: dict[str, Grain] = {
    "Gold leaf": _rough(4.0, 0.12, 4.0, fold=0.7),
    "Cast aluminium": _rough(1.1, 0.11),
    "Raw iron": _mottled(6.0, 0.55, 1.15, 0.1),
    "Chalk paint": _rough(1.6, 0.08),
    "Black rubber": _rough(0.7, 0.05),
    "Warm grey rubber": _rough(0.7, 0.05),
    "Oiled ash": _wood(2.6, (0.52, 0.40, 0.28), 0.7, 1.0, 0.04),
    "Dark walnut": _wood(3.4, (0.42, 0.36, 0.30), 1.1, 1.0, 0.03),
    "Varnished beech": _wood(2.0, (0.74, 0.64, 0.54), 0.5, 0.8, 0.0),
    "Slate": _mottled(7.0, 0.55, 1.35, 0.9, stretch=4.0),
    "Kraft card": _mottled(0.7, 0.82, 1.08, 0.01, 3.0, stretch=6.0),
    "White marble": _veined("subsurface_color", 26.0, (0.80, 0.79, 0.76), (0.22, 0.23, 0.25), 0.22),
    "Jade": _veined("subsurface_color", 14.0, (0.27, 0.45, 0.29), (0.52, 0.62, 0.48), 0.5),
    "Wool felt": _mottled(0.9, 0.62, 1.2, 0.16, 4.0),
    "Canvas": _woven(0.9, 1.0, 0.35, 0.5, 0.2),
    "Linen shade": _woven(0.7, 1.0, 0.5, 0.72, 0.1),
}
