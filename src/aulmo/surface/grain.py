"""The grain of the shelf's swatches: nodes in real millimetres for wood, stone, cloth and rough metal.

Wherever it can be, grain is led to `base_weight`, which multiplies: the colour of the material stays the artist's to choose.
"""

from aulmo.document.records import Node, Stop
from aulmo.surface.colour import from_hex
from aulmo.surface.metals import openpbr_colours

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


def _number(at: float, value: float) -> Stop:
    return Stop(at, (value, value, value))


def _tempered() -> Grain:
    """Steel that was warmed from one end."""
    heat = Node("heat", "gradient", choices={"gives": "number"}, stops=(_number(0.0, 6.0), _number(0.6, 24.0), _number(1.0, 46.0)))
    uneven = Node("uneven", "noise", {"size_mm": 18.0})
    sway = Node("sway", "range", {"in": "@uneven", "outlow": 0.8, "outhigh": 1.2})
    oxide = Node("oxide", "multiply", {"in1": "@heat", "in2": "@sway"})
    tint = Node("tint", "heattint", {"thickness": "@oxide", "metal": openpbr_colours("Stainless steel")[0]})
    return (heat, uneven, sway, oxide, tint), {"base_color": "tint"}


def _lined(way: str, size_mm: float, low: float, high: float, relief_mm: float) -> Grain:
    """Fine lines in roughness and relief."""
    lines = Node("lines", "brushed", {"size_mm": size_mm, "length_mm": 40.0}, choices={"way": way})
    rough = Node("dull", "range", {"in": "@lines", "inlow": 0.2, "inhigh": 0.8, "outlow": low, "outhigh": high})
    relief = Node("relief", "range", {"in": "@lines", "outlow": 0.0, "outhigh": relief_mm})
    return (lines, rough, relief), {"specular_roughness": "dull", "height": "relief"}


def _knurled(pitch_mm: float, depth_mm: float) -> Grain:
    pattern = Node("knurl", "knurl", {"size_mm": pitch_mm}, projection="cylinder")
    relief = Node("relief", "range", {"in": "@knurl", "outlow": 0.0, "outhigh": depth_mm})
    return (pattern, relief), {"height": "relief"}


def _scuffed(low: float, more: float) -> Grain:
    """Scratches and smears in roughness."""
    strokes = Node("strokes", "scratches", {"size_mm": 9.0, "width_mm": 0.16, "share": 0.8}, projection="box")
    smears = Node("smears", "noise", {"size_mm": 12.0, "octaves": 5.0})
    ground = Node("ground", "range", {"in": "@smears", "inlow": 0.3, "inhigh": 0.7, "outlow": low, "outhigh": low + 0.1})
    deep = Node("deep", "multiply", {"in1": "@strokes", "in2": more})
    both = Node("both", "add", {"in1": "@ground", "in2": "@deep"})
    return (strokes, smears, ground, deep, both), {"specular_roughness": "both"}


def _flaked(flake: tuple, ground: tuple, share: float, size_mm: float) -> Grain:
    """Paint with metal flakes below its clear coat: each faces its own way."""
    where = Node("where", "flakes", {"size_mm": size_mm, "share": share})
    facing = Node("facing", "flakes", {"size_mm": size_mm, "share": share, "spread": 16.0}, choices={"gives": "normal"})
    colour = Node("colour", "mix", {"fg": flake, "bg": ground, "mix": "@where"})
    metal = Node("metal", "multiply", {"in1": "@where", "in2": 0.9})
    return (where, facing, colour, metal), {"base_color": "colour", "base_metalness": "metal", "normal": "facing"}


def _peeled(size_mm: float, relief_mm: float) -> Grain:
    waves = Node("waves", "orangepeel", {"size_mm": size_mm})
    relief = Node("relief", "range", {"in": "@waves", "outlow": 0.0, "outhigh": relief_mm})
    return (waves, relief), {"coat_height": "relief"}


def _worn(below: tuple, reach_mm: float) -> Grain:
    """Paint gone from the edges, metal showing."""
    edges = Node("edges", "edgewear", {"radius_mm": reach_mm, "amount": 0.65, "size_mm": 1.6})
    stray = Node("stray", "scratches", {"size_mm": 16.0, "width_mm": 0.5, "share": 0.4}, projection="box")
    gone = Node("gone", "max", {"in1": "@edges", "in2": "@stray"})
    colour = Node("colour", "mix", {"fg": below, "bg": from_hex("#c2561c"), "mix": "@gone"})
    return (edges, stray, gone, colour), {"base_color": "colour", "base_metalness": "gone"}


def _leathery(size_mm: float, relief_mm: float, dark: float) -> Grain:
    hide = Node("hide", "leather", {"size_mm": size_mm})
    shade = Node("shade", "range", {"in": "@hide", "outlow": dark, "outhigh": 1.05})
    relief = Node("relief", "range", {"in": "@hide", "outlow": 0.0, "outhigh": relief_mm})
    return (hide, shade, relief), {"base_weight": "shade", "height": "relief"}


def _studded(size_mm: float, apart_mm: float, relief_mm: float) -> Grain:
    dots = Node(
        "studs", "shapes", {"size_mm": size_mm, "spacing_mm": apart_mm, "stagger": 0.5, "spacing_y_mm": 0.87 * apart_mm, "first": 0.0,
        "second": relief_mm},
        projection="box",
    )  # fmt: skip
    return (dots,), {"height": "studs"}


def _planked(board_mm: float) -> Grain:
    grain = Node("wood", "wood", {"ring_mm": 3.0, "board_mm": board_mm, "first": (1.0, 1.0, 1.0), "second": (0.5, 0.42, 0.34)}, axis="x")
    gap = Node("gap", "stripes", {"size_mm": board_mm, "share": 0.03, "first": 1.0, "second": 0.25}, axis="y")
    both = Node("both", "multiply", {"in1": "@wood", "in2": "@gap"})
    return (grain, gap, both), {"base_weight": "both"}


def _chipped() -> Grain:
    """Chips of stone in cement, each of its own tone."""
    at = Node("at", "position")
    small = Node("small", "multiply", {"in1": "@at", "in2": 0.28})
    cell = Node("cell", "worleynoise3d", {"position": "@small"}, choices={"style": "1"})
    far = Node("far", "worleynoise3d", {"position": "@small"})
    stops = (Stop(0.0, (0.35, 0.32, 0.30)), Stop(0.4, (0.62, 0.42, 0.30)), Stop(0.7, (0.85, 0.82, 0.76)), Stop(1.0, (0.25, 0.27, 0.26)))
    tone = Node("tone", "gradient", {"in": "@cell"}, choices={"over": "wire", "between": "step"}, stops=stops)
    inside = Node("inside", "range", {"in": "@far", "inlow": 0.5, "inhigh": 0.42})
    mixed = Node("mixed", "mix", {"fg": "@tone", "bg": (0.66, 0.64, 0.60), "mix": "@inside"})
    return (at, small, cell, far, tone, inside, mixed), {"base_color": "mixed"}


GRAIN: dict[str, Grain] = {
    "Straw-tempered steel": _tempered(),
    "Turned aluminium": _lined("turned", 0.3, 0.2, 0.4, 0.012),
    "Knurled nickel": _knurled(1.6, 0.5),
    "Scuffed brass": _scuffed(0.14, 0.3),
    "Midnight flake": _flaked(from_hex("#5f7fb5"), from_hex("#0b1426"), 0.5, 0.14),
    "Silver flake": _flaked(from_hex("#d5d6d6"), from_hex("#6d6f71"), 0.75, 0.12),
    "Orange peel white": _peeled(1.6, 0.012),
    "Worn ember": _worn((0.56, 0.54, 0.51), 0.9),
    "Grained dash plastic": _leathery(0.9, 0.09, 0.9),
    "Dotted grip rubber": _studded(1.6, 2.6, 0.5),
    "Deck planks": _planked(28.0),
    "Terrazzo": _chipped(),
    "Saddle leather": _leathery(1.6, 0.16, 0.62),
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
