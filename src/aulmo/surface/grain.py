"""The grain of the shelf's swatches: nodes in real millimetres for wood, stone, cloth and rough metal.

Wherever it can be, grain is led to `base_weight`, which multiplies: the colour of the material stays the artist's to choose.
"""

from typing import Literal

from aulmo.document.records import Node, Stop
from aulmo.surface.colour import from_hex
from aulmo.surface.metals import openpbr_colours

Grain = tuple[tuple[Node, ...], dict[str, str]]


def wood(ring_mm: float, late: tuple, waver: float, fibre: float, relief_mm: float) -> Grain:
    """Wood that grew along z; `late` is the colour of late wood over that of early wood."""
    grain = Node("wood", "wood", {"ring_mm": ring_mm, "first": (1.0, 1.0, 1.0), "second": late, "waver": waver, "fibre": fibre})
    if relief_mm == 0.0:
        return (grain,), {"base_weight": "wood"}
    fibres = Node("fibres", "noise", {"size_mm": 0.5, "octaves": 2.0, "stretch": 50.0})
    relief = Node("relief", "range", {"in": "@fibres", "outlow": 0.0, "outhigh": relief_mm})
    return (grain, fibres, relief), {"base_weight": "wood", "height": "relief"}


def mottled(size_mm: float, dark: float, light: float, relief_mm: float = 0.0, octaves: float = 5.0, **noise: float) -> Grain:
    """Uneven in tone, and in height where `relief_mm` is not 0."""
    tone = Node("mottle", "noise", {"size_mm": size_mm, "octaves": octaves, **noise})
    shade = Node("shade", "range", {"in": "@mottle", "inlow": 0.25, "inhigh": 0.75, "outlow": dark, "outhigh": light})
    if relief_mm == 0.0:
        return (tone, shade), {"base_weight": "shade"}
    relief = Node("relief", "range", {"in": "@mottle", "outlow": 0.0, "outhigh": relief_mm})
    return (tone, shade, relief), {"base_weight": "shade", "height": "relief"}


def rough(size_mm: float, relief_mm: float, octaves: float = 3.0, **noise: float) -> Grain:
    """Relief alone."""
    rough = Node("rough", "noise", {"size_mm": size_mm, "octaves": octaves, **noise})
    relief = Node("relief", "range", {"in": "@rough", "outlow": 0.0, "outhigh": relief_mm})
    return (rough, relief), {"height": "relief"}


def woven(yarn_mm: float, over: float, uneven: float, dark: float, relief_mm: float) -> Grain:
    """Cloth: the gaps between yarns are darker and deeper."""
    cloth = Node("cloth", "weave", {"size_mm": yarn_mm, "over": over, "uneven": uneven})
    shade = Node("shade", "range", {"in": "@cloth", "inlow": 0.2, "inhigh": 0.9, "outlow": dark, "outhigh": 1.0})
    relief = Node("relief", "range", {"in": "@cloth", "outlow": 0.0, "outhigh": relief_mm})
    return (cloth, shade, relief), {"base_weight": "shade", "height": "relief"}


def veined(target: str, size_mm: float, ground: tuple, vein: tuple, width: float) -> Grain:
    """Veins where noise crosses its middle, over clouds."""
    clouds = Node("veins", "noise", {"size_mm": size_mm, "octaves": 6.0, "gain": 0.55, "fold": 1.0})
    amount = Node("amount", "range", {"in": "@veins", "inlow": 0.0, "inhigh": width, "outlow": 1.0, "outhigh": 0.0})
    where = Node("where", "noise", {"size_mm": 2.0 * size_mm, "octaves": 2.0, "seed": 7.0})
    strength = Node("strength", "range", {"in": "@where", "inlow": 0.35, "inhigh": 0.6})
    both = Node("both", "multiply", {"in1": "@amount", "in2": "@strength"})
    stone = Node("stone", "mix", {"bg": ground, "fg": vein, "mix": "@both"})
    return (clouds, amount, where, strength, both, stone), {target: "stone"}


def _stop(at: float, value: float) -> Stop:
    return Stop(at, (value, value, value))


def tempered() -> Grain:
    """Steel that was warmed from one end."""
    heat = Node("heat", "gradient", choices={"gives": "number"}, stops=(_stop(0.0, 6.0), _stop(0.6, 24.0), _stop(1.0, 46.0)))
    uneven = Node("uneven", "noise", {"size_mm": 18.0})
    sway = Node("sway", "range", {"in": "@uneven", "outlow": 0.8, "outhigh": 1.2})
    oxide = Node("oxide", "multiply", {"in1": "@heat", "in2": "@sway"})
    tint = Node("tint", "heattint", {"thickness": "@oxide", "metal": openpbr_colours("Stainless steel")[0]})
    return (heat, uneven, sway, oxide, tint), {"base_color": "tint"}


def lined(way: str, size_mm: float, low: float, high: float, relief_mm: float) -> Grain:
    """Fine lines in roughness and relief."""
    lines = Node("lines", "brushed", {"size_mm": size_mm, "length_mm": 40.0}, choices={"way": way})
    rough = Node("dull", "range", {"in": "@lines", "inlow": 0.2, "inhigh": 0.8, "outlow": low, "outhigh": high})
    relief = Node("relief", "range", {"in": "@lines", "outlow": 0.0, "outhigh": relief_mm})
    return (lines, rough, relief), {"specular_roughness": "dull", "height": "relief"}


def knurled(pitch_mm: float, depth_mm: float) -> Grain:
    """A knurl round the part's axis."""
    pattern = Node("knurl", "knurl", {"size_mm": pitch_mm}, projection="cylinder")
    relief = Node("relief", "range", {"in": "@knurl", "outlow": 0.0, "outhigh": depth_mm})
    return (pattern, relief), {"height": "relief"}


def scuffed(low: float, more: float) -> Grain:
    """Scratches and smears in roughness."""
    strokes = Node("strokes", "scratches", {"size_mm": 9.0, "width_mm": 0.16, "share": 0.8}, projection="box")
    smears = Node("smears", "noise", {"size_mm": 12.0, "octaves": 5.0})
    ground = Node("ground", "range", {"in": "@smears", "inlow": 0.3, "inhigh": 0.7, "outlow": low, "outhigh": low + 0.1})
    deep = Node("deep", "multiply", {"in1": "@strokes", "in2": more})
    both = Node("both", "add", {"in1": "@ground", "in2": "@deep"})
    return (strokes, smears, ground, deep, both), {"specular_roughness": "both"}


def flaked(flake: tuple, ground: tuple, share: float, size_mm: float) -> Grain:
    """Paint with metal flakes below its clear coat: each faces its own way."""
    where = Node("where", "flakes", {"size_mm": size_mm, "share": share})
    facing = Node("facing", "flakes", {"size_mm": size_mm, "share": share, "spread": 16.0}, choices={"gives": "normal"})
    colour = Node("colour", "mix", {"fg": flake, "bg": ground, "mix": "@where"})
    metal = Node("metal", "multiply", {"in1": "@where", "in2": 0.9})
    return (where, facing, colour, metal), {"base_color": "colour", "base_metalness": "metal", "normal": "facing"}


def peeled(size_mm: float, relief_mm: float, into: str = "coat_height") -> Grain:
    """The waves that paint dries with, in its clear coat; in the paint itself as "height"."""
    waves = Node("waves", "orangepeel", {"size_mm": size_mm})
    relief = Node("relief", "range", {"in": "@waves", "outlow": 0.0, "outhigh": relief_mm})
    return (waves, relief), {into: "relief"}


def worn(below: tuple, reach_mm: float, over: str = "#c2561c") -> Grain:
    """Paint gone from the edges, what is below showing."""
    edges = Node("edges", "edgewear", {"radius_mm": reach_mm, "amount": 0.65, "size_mm": 1.6})
    stray = Node("stray", "scratches", {"size_mm": 16.0, "width_mm": 0.5, "share": 0.4}, projection="box")
    gone = Node("gone", "max", {"in1": "@edges", "in2": "@stray"})
    colour = Node("colour", "mix", {"fg": below, "bg": from_hex(over), "mix": "@gone"})
    return (edges, stray, gone, colour), {"base_color": "colour", "base_metalness": "gone"}


def leathery(size_mm: float, relief_mm: float, dark: float) -> Grain:
    """The grain of a hide, darker in its creases."""
    hide = Node("hide", "leather", {"size_mm": size_mm})
    shade = Node("shade", "range", {"in": "@hide", "outlow": dark, "outhigh": 1.05})
    relief = Node("relief", "range", {"in": "@hide", "outlow": 0.0, "outhigh": relief_mm})
    return (hide, shade, relief), {"base_weight": "shade", "height": "relief"}


def studded(size_mm: float, apart_mm: float, relief_mm: float) -> Grain:
    """Round studs in staggered rows."""
    dots = Node(
        "studs", "shapes", {"size_mm": size_mm, "spacing_mm": apart_mm, "stagger": 0.5, "spacing_y_mm": 0.87 * apart_mm, "first": 0.0,
        "second": relief_mm},
        projection="box",
    )  # fmt: skip
    return (dots,), {"height": "studs"}


def planked(board_mm: float) -> Grain:
    """Boards with gaps between."""
    grain = Node("wood", "wood", {"ring_mm": 3.0, "board_mm": board_mm, "first": (1.0, 1.0, 1.0), "second": (0.5, 0.42, 0.34)}, axis="x")
    gap = Node("gap", "stripes", {"size_mm": board_mm, "share": 0.03, "first": 1.0, "second": 0.25}, axis="y")
    both = Node("both", "multiply", {"in1": "@wood", "in2": "@gap"})
    return (grain, gap, both), {"base_weight": "both"}


def chipped() -> Grain:
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


def bricked(long_mm: float, high_mm: float, joint_mm: float, joint: tuple, tones: tuple, relief_mm: float, stagger: float = 0.5) -> Grain:
    """Bricks or tiles in rows with joints between, each face uneven in tone, the joints lying deeper. Colours are shares of the material's own."""
    laid = {"size_mm": long_mm, "spacing_mm": long_mm + joint_mm, "spacing_y_mm": high_mm + joint_mm, "aspect": high_mm / long_mm, "stagger": stagger}
    face = Node("face", "shapes", {**laid, "first": 0.0, "second": 1.0}, choices={"shape": "rectangle"}, projection="box")
    tone = Node("tone", "noise", {"size_mm": 0.8 * long_mm, "octaves": 5.0})
    shade = Node("shade", "mix", {"bg": tones[0], "fg": tones[1], "mix": "@tone"})
    both = Node("both", "mix", {"bg": joint, "fg": "@shade", "mix": "@face"})
    grit = Node("grit", "noise", {"size_mm": 1.4, "octaves": 3.0})
    small = Node("small", "multiply", {"in1": "@grit", "in2": 0.12 * relief_mm})
    deep = Node("deep", "multiply", {"in1": "@face", "in2": relief_mm})
    relief = Node("relief", "add", {"in1": "@deep", "in2": "@small"})
    return (face, tone, shade, both, grit, small, deep, relief), {"base_color": "both", "height": "relief"}


def strewn(size_mm: float, first: tuple, second: tuple, relief_mm: float, apart: float = 0.5) -> Grain:
    """Stones lying close together, each of its own tone, as in asphalt or gravel."""
    at = Node("at", "position")
    small = Node("small", "multiply", {"in1": "@at", "in2": 1.0 / size_mm})
    cell = Node("cell", "worleynoise3d", {"position": "@small"}, choices={"style": "1"})
    far = Node("far", "worleynoise3d", {"position": "@small"})
    tone = Node("tone", "mix", {"bg": first, "fg": second, "mix": "@cell"})
    inside = Node("inside", "range", {"in": "@far", "inlow": apart + 0.1, "inhigh": apart - 0.15})
    shade = Node("shade", "range", {"in": "@inside", "outlow": 0.45, "outhigh": 1.0})
    colour = Node("colour", "multiply", {"in1": "@tone", "in2": "@shade"})
    relief = Node("relief", "range", {"in": "@far", "inlow": 0.0, "inhigh": 0.7, "outlow": relief_mm, "outhigh": 0.0})
    return (at, small, cell, far, tone, inside, shade, colour, relief), {"base_color": "colour", "height": "relief"}


def dusted(dust: tuple, ground: tuple, hollow_mm: float, rough: float, shine: float) -> Grain:
    """Dust in the hollows and lying in patches: pale and dull there, as it was elsewhere."""
    hollow = Node("hollow", "cavity", {"radius_mm": hollow_mm, "strength": 1.6})
    patches = Node("patches", "noise", {"size_mm": 16.0, "octaves": 6.0})
    lies = Node("lies", "range", {"in": "@patches", "inlow": 0.42, "inhigh": 0.75, "outlow": 0.0, "outhigh": 0.7})
    where = Node("where", "max", {"in1": "@hollow", "in2": "@lies"})
    colour = Node("colour", "mix", {"bg": ground, "fg": dust, "mix": "@where"})
    dull = Node("dull", "range", {"in": "@where", "outlow": shine, "outhigh": rough})
    return (hollow, patches, lies, where, colour, dull), {"base_color": "colour", "specular_roughness": "dull"}


def wetted(size_mm: float, drop_mm: float, share: float) -> Grain:
    """Drops standing on a surface, in its clear coat."""
    drops = Node("drops", "shapes", {
        "size_mm": drop_mm, "spacing_mm": size_mm, "jitter": 0.9, "stagger": 0.5, "first": 0.0, "second": 1.0}, choices={"shape": "dot"},
            projection="box")  # fmt: skip
    film = Node("film", "noise", {"size_mm": 5.0 * size_mm, "octaves": 3.0})
    there = Node("there", "range", {"in": "@film", "inlow": 0.5 - share / 2, "inhigh": 0.6})
    both = Node("both", "multiply", {"in1": "@drops", "in2": "@there"})
    relief = Node("relief", "multiply", {"in1": "@both", "in2": 0.18 * drop_mm})
    return (drops, film, there, both, relief), {"coat_height": "relief"}


def rusted(metal: tuple, share: float, size_mm: float) -> Grain:
    """Metal going over into rust: brown, matt and raised where it has gone."""
    clouds = Node("clouds", "noise", {"size_mm": size_mm, "octaves": 7.0, "gain": 0.6})
    gone = Node("gone", "range", {"in": "@clouds", "inlow": 0.62 - share * 0.4, "inhigh": 0.7 - share * 0.4})
    fine = Node("fine", "noise", {"size_mm": 0.9, "octaves": 4.0, "seed": 3.0})
    rust = Node("rust", "mix", {"bg": from_hex("#4a2212"), "fg": from_hex("#a2541f"), "mix": "@fine"})
    colour = Node("colour", "mix", {"bg": metal, "fg": "@rust", "mix": "@gone"})
    left = Node("left", "invert", {"in": "@gone"})
    dull = Node("dull", "range", {"in": "@gone", "outlow": 0.34, "outhigh": 0.85})
    lift = Node("lift", "multiply", {"in1": "@gone", "in2": "@fine"})
    relief = Node("relief", "multiply", {"in1": "@lift", "in2": 0.25})
    wires = {"base_color": "colour", "base_metalness": "left", "specular_roughness": "dull", "height": "relief"}
    return (clouds, gone, fine, rust, colour, left, dull, lift, relief), wires


def rippled(size_mm: float, high_mm: float, detail: float = 3.0) -> Grain:
    """The waves of a liquid's face."""
    waves = Node("waves", "noise", {"size_mm": size_mm, "octaves": detail})
    relief = Node("relief", "range", {"in": "@waves", "outlow": 0.0, "outhigh": high_mm})
    return (waves, relief), {"height": "relief"}


def ribbed(apart_mm: float, deep_mm: float, axis: Literal["x", "y", "z"] = "z") -> Grain:
    """Grooves at even distances along an axis."""
    lines = Node("ribs", "stripes", {"size_mm": apart_mm, "share": 0.55, "first": 0.0, "second": 1.0}, axis=axis)
    relief = Node("relief", "range", {"in": "@ribs", "outlow": 0.0, "outhigh": deep_mm})
    return (lines, relief), {"height": "relief"}


GRAIN: dict[str, Grain] = {
    "Straw-tempered steel": tempered(),
    "Turned aluminium": lined("turned", 0.3, 0.2, 0.4, 0.012),
    "Knurled nickel": knurled(1.6, 0.5),
    "Scuffed brass": scuffed(0.14, 0.3),
    "Midnight flake": flaked(from_hex("#5f7fb5"), from_hex("#0b1426"), 0.5, 0.14),
    "Silver flake": flaked(from_hex("#d5d6d6"), from_hex("#6d6f71"), 0.75, 0.12),
    "Orange peel white": peeled(1.6, 0.012),
    "Worn ember": worn((0.56, 0.54, 0.51), 0.9),
    "Grained dash plastic": leathery(0.9, 0.09, 0.9),
    "Dotted grip rubber": studded(1.6, 2.6, 0.5),
    "Deck planks": planked(28.0),
    "Terrazzo": chipped(),
    "Saddle leather": leathery(1.6, 0.16, 0.62),
    "Gold leaf": rough(4.0, 0.12, 4.0, fold=0.7),
    "Cast aluminium": rough(1.1, 0.11),
    "Raw iron": mottled(6.0, 0.55, 1.15, 0.1),
    "Chalk paint": rough(1.6, 0.08),
    "Black rubber": rough(0.7, 0.05),
    "Warm grey rubber": rough(0.7, 0.05),
    "Oiled ash": wood(2.6, (0.52, 0.40, 0.28), 0.7, 1.0, 0.04),
    "Dark walnut": wood(3.4, (0.42, 0.36, 0.30), 1.1, 1.0, 0.03),
    "Varnished beech": wood(2.0, (0.74, 0.64, 0.54), 0.5, 0.8, 0.0),
    "Slate": mottled(7.0, 0.55, 1.35, 0.9, stretch=4.0),
    "Kraft card": mottled(0.7, 0.82, 1.08, 0.01, 3.0, stretch=6.0),
    "White marble": veined("subsurface_color", 26.0, (0.80, 0.79, 0.76), (0.22, 0.23, 0.25), 0.22),
    "Jade": veined("subsurface_color", 14.0, (0.27, 0.45, 0.29), (0.52, 0.62, 0.48), 0.5),
    "Wool felt": mottled(0.9, 0.62, 1.2, 0.16, 4.0),
    "Canvas": woven(0.9, 1.0, 0.35, 0.5, 0.2),
    "Linen shade": woven(0.7, 1.0, 0.5, 0.72, 0.1),
}
