"""Every kind of node: its words, what it is given and gives, its inputs with their defaults and ranges.

Kinds with a name of the MaterialX standard library (MaterialX specification, v1.39, standard nodes) have its inputs and its meaning; lengths are mm
of the part's own axes, colours linear ACEScg. The others are Aulmo's own.

What flows along a wire is a number, a colour, or a direction (three numbers: a direction, a place in space, or a place on a picture whose third is
0).
"""

from typing import Any, Literal, NamedTuple

Flow = Literal["number", "colour", "direction", "either"]


class Input(NamedTuple):
    """An input of a node. `takes` is what flows into it, "either" whatever comes; `led` whether a wire may lead it. `low` and `high` are the
    useful range, `least` and `most` what makes sense at all."""

    name: str
    label: str
    takes: Flow
    default: Any
    led: bool = True
    low: float = 0.0
    high: float = 1.0
    unit: str = ""
    decimals: int = 2
    least: float = -1e6
    most: float = 1e6
    curve: float = 1.0


class Kind(NamedTuple):
    """A kind of node. `gives` "either" is as wide as what flows in. `choices` has for each choice its values and their words, the first the
    default; a choice without values is a text. `standard` kinds are MaterialX's."""

    name: str
    label: str
    family: str
    gives: Flow
    inputs: tuple[Input, ...] = ()
    choices: dict[str, dict[str, str]] = {}
    standard: bool = True
    tip: str = ""
    uses: frozenset[str] = frozenset()


def _n(name: str, label: str, default: float, low: float = 0.0, high: float = 1.0, unit: str = "", decimals: int = 2, **more) -> Input:
    return Input(name, label, "number", default, True, low, high, unit, decimals, **more)


def _plain(name: str, label: str, default: float, low: float = 0.0, high: float = 1.0, unit: str = "", decimals: int = 2, **more) -> Input:
    return Input(name, label, "number", default, False, low, high, unit, decimals, **more)


def _mm(name: str, label: str, default: float, low: float, high: float, decimals: int = 2, least: float = 1e-4) -> Input:
    return Input(name, label, "number", default, False, low, high, "mm", decimals, least, 1e6, 3.0)


def _c(name: str, label: str, default: tuple[float, float, float]) -> Input:
    return Input(name, label, "colour", default)


def _e(name: str, label: str, default: float = 0.0) -> Input:
    return Input(name, label, "either", default, True, -1.0 if default < 0 else 0.0, 1.0)


def _place(name: str, label: str) -> Input:
    """A place that is the part's own where no wire leads it."""
    return Input(name, label, "direction", None)


def _d(name: str, label: str, default: tuple[float, float, float]) -> Input:
    return Input(name, label, "direction", default, True, -1.0, 1.0)


_SEED = _plain("seed", "Seed", 0.0, 0.0, 50.0, "", 0, least=0.0)
_UV = _place("texcoord", "At")
_BLACK, _WHITE, _GREY = (0.0, 0.0, 0.0), (1.0, 1.0, 1.0), (0.5, 0.5, 0.5)
_TWO = (_c("first", "First", _BLACK), _c("second", "Second", _WHITE))
_AXIS, _LAID = frozenset({"axis"}), frozenset({"projection", "axis"})
_LAY = frozenset({"lay"})
_SPACE = {"space": {"object": "The part's", "world": "The world's"}}


def _pair(one: str, other: str, first: float = 0.0, second: float = 0.0) -> tuple[Input, ...]:
    return _e("in1", one, first), _e("in2", other, second)


def _noise(*more: Input) -> tuple[Input, ...]:
    return (_n("amplitude", "Strength", 1.0, 0, 2), *more)


_FRACTAL = (
    _n("amplitude", "Strength", 1.0, 0, 2), _plain("octaves", "Detail", 3.0, 1, 10, "", 0, least=1, most=16),
    _plain("lacunarity", "Finer by", 2.0, 1.5, 4.0, least=1.0, most=10.0), _plain("diminish", "Weaker by", 0.5, 0, 1, least=0.0, most=2.0),
)  # fmt: skip
_WORLEY = (_n("jitter", "Disorder", 1.0),)
_STYLE = {"style": {"0": "Distance", "1": "Cells"}}
_TILES = (
    _mm("size_mm", "Size", 4.0, 0.2, 100.0), _plain("spacing_mm", "Apart", 10.0, 0.2, 200.0, "mm", 2, least=1e-3, curve=2.0),
    _plain("spacing_y_mm", "Apart down", 0.0, 0.0, 200.0, "mm", 2, least=0.0, curve=2.0), _plain("turn", "Turn", 0.0, -180, 180, "°", 1),
    _plain("jitter", "Disorder", 0.0, least=0.0, most=1.0), _plain("turn_jitter", "Turned at random", 0.0, 0, 180, "°", 0, least=0.0, most=360.0),
    _plain("aspect", "High for its width", 1.0, 0.1, 5.0, least=1e-3, curve=2.0), _plain("stagger", "Rows shifted", 0.0, least=-1.0, most=1.0), _SEED,
)  # fmt: skip
_REPEAT = {"repeat": {"both": "Everywhere", "rows": "In one row", "columns": "In one column", "once": "Once"}}
_MASK = (_c("first", "Between", _BLACK), _c("second", "Shape", _WHITE))
_CHANNELS = {"index": {"0": "Red or x", "1": "Green or y", "2": "Blue or z"}}

_KINDS: tuple[Kind, ...] = (
    # pictures and places
    Kind("image", "Picture", "Pictures", "colour", (
        _UV, _plain("width_mm", "Width", 100.0, 1.0, 500.0, "mm", 1, least=1e-4, curve=2.0),
        _plain("height_mm", "Height", 0.0, 0.0, 500.0, "mm", 1, least=0.0, curve=2.0), _plain("turn", "Turn", 0.0, -180.0, 180.0, "°", 1),
        _plain("offset_x_mm", "Right by", 0.0, -100, 100, "mm", 1), _plain("offset_y_mm", "Up by", 0.0, -100, 100, "mm", 1),
        _plain("strength", "Strength", 1.0, 0.0, 2.0, least=-100, most=100),
    ), {"uaddressmode": {"periodic": "Repeated", "clamp": "Edge goes on", "mirror": "Mirrored", "constant": "Once"},
        "vaddressmode": {"periodic": "Repeated", "clamp": "Edge goes on", "mirror": "Mirrored", "constant": "Once"}},
        tip="A picture, laid on the part in real millimetres", uses=frozenset({"image", "lay"})),
    Kind("tiledimage", "Tiled picture", "Pictures", "colour", (
        _UV, _d("uvtiling", "Tiles", (1.0, 1.0, 0.0)), _d("uvoffset", "Shifted", _BLACK), _d("realworldimagesize", "Picture's size", (1.0, 1.0, 0.0)),
        _d("realworldtilesize", "Tile's size", (1.0, 1.0, 0.0)),
    ), tip="A picture repeated by coordinates", uses=frozenset({"image"})),
    Kind("text", "Text", "Pictures", "number", (
        _mm("height_mm", "Height", 10.0, 1.0, 200.0), _plain("turn", "Turn", 0.0, -180, 180, "°", 1), _plain("offset_x_mm", "Right by", 0.0, -100,
        100, "mm", 1),
        _plain("offset_y_mm", "Up by", 0.0, -100, 100, "mm", 1), _plain("gap_mm", "Apart", 0.0, 0, 100, "mm", 1, least=0.0),
    ), {"text": {}, "repeat": {"once": "Once", "both": "Everywhere", "rows": "In one row", "columns": "In one column"}}, False,
        "Letters: 1 where they are, 0 between", _LAID | _LAY),
    Kind("texcoord", "Coordinates", "Places", "direction", (), tip="Where on a lay, or by the file's own coordinates: 0 to 1, right and up",
    uses=_LAY),
    Kind("position", "Position", "Places", "direction", (), _SPACE, tip="Where in space, in mm"),
    Kind("normal", "Surface normal", "Places", "direction", (), _SPACE, tip="Which way the surface faces"),
    Kind("tangent", "Tangent", "Places", "direction", (), _SPACE, tip="The way round the part's own axis"),
    Kind("facingratio", "Facing", "Places", "number", (_plain("power", "Power", 1.0, 0, 8, least=0.0, most=100.0),),
         {"invert": {"no": "Face on", "yes": "At the edge"}}, tip="1 where the surface faces the camera, 0 at its edge"),
    Kind("place2d", "Place 2d", "Places", "direction", (
        _UV, _d("pivot", "About", _BLACK), _d("scale", "Scale", (1.0, 1.0, 0.0)), _n("rotate", "Turn", 0.0, -180, 180, "°", 1),
        _d("offset", "Shift", _BLACK)), {"operationorder": {"0": "Scale, turn, shift", "1": "Shift, turn, scale"}},
        tip="Coordinates moved, turned and scaled"),
    Kind("rotate2d", "Turn 2d", "Places", "direction", (_d("in", "In", _BLACK), _n("amount", "Turn", 0.0, -180, 180, "°", 1))),
    Kind("rotate3d", "Turn 3d", "Places", "direction", (
        _d("in", "In", _BLACK), _n("amount", "Turn", 0.0, -180, 180, "°", 1), _d("axis", "About", (0.0, 1.0, 0.0)))),
    Kind("geompropvalue", "Property of the part", "Places", "either", (_e("default", "Else"),), {"geomprop": {
        "size": "Size in mm", "middle": "Middle in mm", "random": "Random number", "uv": "The file's coordinates"}}),
    Kind("random", "Random per copy", "Places", "number", (
        _n("min", "From", 0.0), _n("max", "To", 1.0), _SEED), standard=False, tip="A number that every part and every copy has for itself"),
    Kind("time", "Time", "Places", "number", (), tip="Seconds into the film"),
    Kind("frame", "Frame", "Places", "number", (), tip="Number of the frame"),
    # patterns of the standard
    Kind("noise2d", "Noise 2d", "Patterns", "number", _noise(_n("pivot", "Middle", 0.0, -1, 1), _UV)),
    Kind("noise3d", "Noise 3d", "Patterns", "number", _noise(_n("pivot", "Middle", 0.0, -1, 1), _place("position", "At"))),
    Kind("fractal2d", "Fractal noise 2d", "Patterns", "number", (*_FRACTAL, _UV)),
    Kind("fractal3d", "Fractal noise 3d", "Patterns", "number", (*_FRACTAL, _place("position", "At"))),
    Kind("cellnoise2d", "Cell noise 2d", "Patterns", "number", (_UV,), tip="One number for each cell of a grid"),
    Kind("cellnoise3d", "Cell noise 3d", "Patterns", "number", (_place("position", "At"),)),
    Kind("worleynoise2d", "Worley noise 2d", "Patterns", "number", (_UV, *_WORLEY), _STYLE, tip="How far the nearest of strewn points is"),
    Kind("worleynoise3d", "Worley noise 3d", "Patterns", "number", (_place("position", "At"), *_WORLEY), _STYLE),
    Kind("ramplr", "Ramp across", "Patterns", "either", (_e("valuel", "Left"), _e("valuer", "Right", 1.0), _UV)),
    Kind("ramptb", "Ramp down", "Patterns", "either", (_e("valuet", "Top"), _e("valueb", "Bottom", 1.0), _UV)),
    Kind("ramp4", "Ramp of four corners", "Patterns", "either", (
        _e("valuetl", "Top left"), _e("valuetr", "Top right"), _e("valuebl", "Bottom left"), _e("valuebr", "Bottom right"), _UV)),
    Kind("splitlr", "Split across", "Patterns", "either", (_e("valuel", "Left"), _e("valuer", "Right", 1.0), _n("center", "Where", 0.5), _UV)),
    Kind("splittb", "Split down", "Patterns", "either", (_e("valuet", "Top"), _e("valueb", "Bottom", 1.0), _n("center", "Where", 0.5), _UV)),
    # patterns of our own, in mm
    Kind("noise", "Noise in mm", "In mm", "number", (
        _mm("size_mm", "Size", 10.0, 0.05, 100.0), _plain("octaves", "Detail", 4.0, 1, 10, "", 0, least=1, most=16),
        _plain("lacunarity", "Finer by", 2.0, 1.5, 4.0, least=1.0, most=10.0), _plain("gain", "Weaker by", 0.5, 0, 1, least=0.0, most=2.0), _SEED,
        _plain("stretch", "Stretch", 1.0, 1, 100, "", 1, least=1e-3, most=1e5, curve=3.0), _plain("fold", "Veins", 0.0, least=0.0, most=1.0),
    ), standard=False, tip="Clouds of a real size, 0 to 1, stretched along an axis where wanted", uses=_AXIS),
    Kind("cells", "Cells in mm", "In mm", "number", (
        _mm("size_mm", "Size", 10.0, 0.05, 100.0), _plain("jitter", "Disorder", 1.0, least=0.0, most=1.0), _SEED), standard=False,
        tip="How far the nearest of strewn points is"),
    Kind("checker", "Checker", "In mm", "either", (
        _mm("size_mm", "Size", 10.0, 0.05, 100.0), _c("first", "First", (0.1, 0.1, 0.1)), _c("second", "Second", (0.8, 0.8, 0.8))), standard=False),
    Kind("stripes", "Stripes", "In mm", "either", (
        _mm("size_mm", "Size", 10.0, 0.05, 100.0), _plain("share", "Share", 0.5, least=0.0, most=1.0), *_TWO), standard=False, uses=_AXIS),
    Kind("dots", "Dots through the part", "In mm", "either", (
        _mm("size_mm", "Size", 10.0, 0.05, 100.0), _plain("share", "Share", 0.5, least=0.0, most=2.0), *_TWO), standard=False, uses=_AXIS),
    Kind("shapes", "Repeated shapes", "In mm", "either", (*_TILES, *_MASK), {
        "shape": {"dot": "Dots", "rectangle": "Rectangles", "ring": "Rings", "drawn": "A drawn shape (SVG)"}, **_REPEAT}, False,
        "Dots, rectangles, rings or a drawn shape, with size and spacing, in rows or columns", frozenset({"lay", "image"}) | _LAID),
    Kind("wood", "Wood", "In mm", "either", (
        _mm("ring_mm", "Rings", 2.5, 0.5, 12.0), _plain("board_mm", "Boards", 0.0, 0, 300, "mm", 0, least=0.0, curve=1.5),
        _plain("board_turn", "Board turn", 0.0, 0, 180, "°", 0), _plain("pith_mm", "Pith away", 60.0, 0, 300, "mm", 0, curve=1.5),
        _plain("waver", "Waver", 1.0, 0, 3, least=0.0, most=100.0), _plain("fibre", "Fibre", 1.0, 0, 2, least=0.0, most=100.0), _SEED,
        _c("first", "Early wood", (0.42, 0.25, 0.12)), _c("second", "Late wood", (0.22, 0.11, 0.045)),
    ), standard=False, uses=_AXIS),
    Kind("weave", "Weave", "In mm", "number", (
        _mm("size_mm", "Yarn", 0.6, 0.05, 20.0), _plain("over", "Floats over", 1.0, 1, 5, "", 0, least=1.0, most=50.0),
        _plain("uneven", "Uneven", 0.3, least=0.0, most=1.0), _SEED), standard=False, uses=_LAID),
    Kind("knurl", "Knurl", "In mm", "number", (
        _mm("size_mm", "Pitch", 1.0, 0.2, 5.0), _plain("angle", "Angle", 30.0, 0, 45, "°", 0, least=0.0, most=89.0),
        _plain("sharp", "Sharpness", 1.0, least=0.0, most=1.0)), {"pattern": {"diamond": "Diamonds", "straight": "Straight"}}, False,
        "Height of a knurl, 0 in its grooves to 1 on its points", _LAID),
    Kind("brushed", "Brushed lines", "In mm", "number", (
        _mm("size_mm", "Width", 0.08, 0.01, 2.0, 3), _mm("length_mm", "Length", 30.0, 1.0, 300.0), _SEED),
        {"way": {"straight": "Straight", "turned": "Turned"}}, False, "Fine lines along an axis, or round it as from a lathe", _AXIS),
    Kind("scratches", "Scratches", "In mm", "number", (
        _mm("size_mm", "Length", 12.0, 0.5, 100.0), _mm("width_mm", "Width", 0.06, 0.01, 2.0, 3), _plain("share", "How many", 0.5, least=0.0,
        most=1.0),
        _plain("bend", "Bent", 0.2, least=0.0, most=1.0), _SEED), standard=False, tip="1 in a scratch, 0 between", uses=_LAID),
    Kind("leather", "Leather", "In mm", "number", (
        _mm("size_mm", "Grain", 2.0, 0.2, 20.0), _plain("crease", "Creases", 0.35, least=0.02, most=1.0), _SEED), standard=False,
        tip="Height of leather's grain"),
    Kind("orangepeel", "Orange peel", "In mm", "number", (_mm("size_mm", "Size", 1.2, 0.1, 20.0), _SEED), standard=False,
         tip="Height of the waves that paint dries with"),
    Kind("flakes", "Flakes", "In mm", "number", (
        _mm("size_mm", "Size", 0.08, 0.01, 2.0, 3), _plain("share", "How many", 0.6, least=0.0, most=1.0), _plain("spread", "Tilted", 18.0, 0, 60,
        "°", 0,
        least=0.0, most=89.0), _SEED), {"gives": {"mask": "Where they are", "normal": "Which way they face", "random": "A number each"}}, False,
        "Flakes of metallic paint"),
    Kind("curvature", "Edges", "Of the part", "number", (
        _mm("radius_mm", "Within", 1.0, 0.1, 20.0), _plain("strength", "Strength", 1.0, 0, 4, least=0.0, most=100.0)), standard=False,
        tip="How much the surface bulges within a radius: 1 on a sharp edge, 0 where it is flat or hollow"),
    Kind("cavity", "Hollows", "Of the part", "number", (
        _mm("radius_mm", "Within", 1.0, 0.1, 20.0), _plain("strength", "Strength", 1.0, 0, 4, least=0.0, most=100.0)), standard=False,
        tip="How hollow the surface is within a radius: 1 in a sharp corner, 0 where it is flat or bulges"),
    Kind("edgewear", "Edge wear", "Of the part", "number", (
        _mm("radius_mm", "Reaches", 0.8, 0.1, 20.0), _plain("amount", "Amount", 0.5, least=0.0, most=1.0), _plain("rough", "Ragged", 0.6, least=0.0,
        most=1.0),
        _mm("size_mm", "Ragged by", 2.0, 0.1, 50.0), _SEED), standard=False, tip="1 where edges are worn, 0 elsewhere"),
    Kind("gradient", "Gradient", "Of the part", "colour", (_e("in", "By", 0.0),), {
        "over": {"part": "The part", "group": "Its group", "axis": "An axis of the part", "wire": "What is led in"},
        "in": {"share": "Shares", "mm": "Millimetres"}, "between": {"even": "Evenly", "smooth": "Smoothly", "step": "In steps"},
        "gives": {"colour": "Colours", "number": "Numbers"}}, False,
        "Any number of colours or numbers along the part, its group, or an axis", frozenset({"axis", "stops"})),
    Kind("ramp", "Gradient of two", "Of the part", "either", (
        _plain("from_mm", "From", 0.0, -200, 200, "mm", 1), _plain("to_mm", "To", 100.0, -200, 200, "mm", 1), *_TWO), standard=False, uses=_AXIS),
    Kind("heattint", "Heat tint", "Of the part", "colour", (_n("thickness", "Oxide", 40.0, 0, 160, "nm", 0),
    _c("metal", "Metal", (0.56, 0.57, 0.58))),
         standard=False, tip="The colour of a metal under oxide of a thickness: straw, purple, blue"),
    # colours
    Kind("constant", "Constant", "Colours", "either", (Input("value", "Value", "either", _GREY, False),)),
    Kind("blackbody", "Temperature", "Colours", "colour", (_n("temperature", "Temperature", 5000.0, 1000, 12000, "K", 0, least=0.0),)),
    Kind("saturate", "Saturate", "Colours", "colour", (_c("in", "In", _BLACK), _n("amount", "Amount", 1.0, 0, 2))),
    Kind("hsvadjust", "Hue, saturation, value", "Colours", "colour", (_c("in", "In", _BLACK), _d("amount", "Amount", (0.0, 1.0, 1.0)))),
    Kind("rgbtohsv", "To hue, saturation, value", "Colours", "colour", (_c("in", "In", _BLACK),)),
    Kind("hsvtorgb", "From hue, saturation, value", "Colours", "colour", (_c("in", "In", _BLACK),)),
    Kind("contrast", "Contrast", "Colours", "either", (_e("in", "In"), _e("amount", "Amount", 1.0), _e("pivot", "About", 0.5))),
    Kind("luminance", "Luminance", "Colours", "number", (_c("in", "In", _BLACK),)),
    Kind("extract", "One number of a colour", "Colours", "number", (Input("in", "In", "direction", _BLACK),), _CHANNELS),
    Kind("combine3", "Colour of three numbers", "Colours", "colour", (_n("in1", "Red", 0.0), _n("in2", "Green", 0.0), _n("in3", "Blue", 0.0))),
    # sums
    Kind("mix", "Mix", "Sums", "either", (_e("fg", "Over"), _e("bg", "Under"), _e("mix", "Share of over"))),
    Kind("add", "Add", "Sums", "either", _pair("One", "Other")),
    Kind("subtract", "Subtract", "Sums", "either", _pair("From", "Less")),
    Kind("multiply", "Multiply", "Sums", "either", _pair("One", "Other", 0.0, 1.0)),
    Kind("divide", "Divide", "Sums", "either", _pair("This", "By", 0.0, 1.0)),
    Kind("power", "Power", "Sums", "either", _pair("This", "To the", 0.0, 1.0)),
    Kind("min", "Smaller", "Sums", "either", _pair("One", "Other")),
    Kind("max", "Larger", "Sums", "either", _pair("One", "Other")),
    Kind("modulo", "Remainder", "Sums", "either", _pair("This", "By", 0.0, 1.0)),
    Kind("absval", "Without sign", "Sums", "either", (_e("in", "In"),)),
    Kind("clamp", "Hold between", "Sums", "either", (_e("in", "In"), _e("low", "Low"), _e("high", "High", 1.0))),
    Kind("remap", "Remap", "Sums", "either", (
        _e("in", "In"), _e("inlow", "From low"), _e("inhigh", "From high", 1.0), _e("outlow", "To low"), _e("outhigh", "To high", 1.0)),
        tip="From one range to another, and on beyond its ends"),
    Kind("range", "Range", "Sums", "either", (
        _e("in", "In"), _e("inlow", "From low"), _e("inhigh", "From high", 1.0), _e("gamma", "Gamma", 1.0), _e("outlow", "To low"),
        _e("outhigh", "To high", 1.0)), {"doclamp": {"yes": "Held", "no": "Go on"}}, tip="From one range to another, held at its ends where wanted"),
    Kind("smoothstep", "Smooth step", "Sums", "either", (_e("in", "In"), _e("low", "Low"), _e("high", "High", 1.0))),
    Kind("invert", "Invert", "Sums", "either", (_e("in", "In"), _e("amount", "From", 1.0))),
    Kind("floor", "Round down", "Sums", "either", (_e("in", "In"),)),
    Kind("ceil", "Round up", "Sums", "either", (_e("in", "In"),)),
    Kind("round", "Round", "Sums", "either", (_e("in", "In"),)),
    Kind("fract", "Fraction", "Sums", "either", (_e("in", "In"),)),
    Kind("sqrt", "Square root", "Sums", "either", (_e("in", "In"),)),
    Kind("sin", "Sine", "Sums", "either", (_e("in", "In"),)),
    Kind("cos", "Cosine", "Sums", "either", (_e("in", "In"),)),
    Kind("exp", "Exponential", "Sums", "either", (_e("in", "In"),)),
    Kind("ln", "Logarithm", "Sums", "either", (_e("in", "In", 1.0),)),
    Kind("sign", "Sign", "Sums", "either", (_e("in", "In"),)),
    Kind("ifgreater", "If greater", "Sums", "either", (_n("value1", "If this", 1.0), _n("value2", "Is over", 0.0), _e("in1", "Then"),
    _e("in2", "Else"))),
    Kind("ifgreatereq", "If not less", "Sums", "either", (_n("value1", "If this", 1.0), _n("value2", "Reaches", 0.0), _e("in1", "Then"),
    _e("in2", "Else"))),
    Kind("ifequal", "If equal", "Sums", "either", (_n("value1", "If this", 0.0), _n("value2", "Is", 0.0), _e("in1", "Then"), _e("in2", "Else"))),
    # directions
    Kind("normalmap", "Normal map", "Relief", "direction", (Input("in", "Picture", "colour", (0.5, 0.5, 1.0)), _n("scale", "Strength", 1.0, 0, 2)),
         tip="A picture of normals, read by its own lay"),
    Kind("heighttonormal", "Height to normal", "Relief", "direction", (_n("in", "Height", 0.0), _n("scale", "Strength", 1.0, 0, 2)),
         tip="The normal of a height in mm"),
    Kind("blendnormals", "Blend of normals", "Relief", "direction", (_d("in1", "Under", (0.0, 0.0, 0.0)), _d("in2", "Over", (0.0, 0.0, 0.0)),
    _n("mix", "Share", 1.0)),
         standard=False, tip="One relief upon another"),
    Kind("normalize", "To length one", "Relief", "direction", (_d("in", "In", _BLACK),)),
    Kind("magnitude", "Length", "Relief", "number", (_d("in", "In", _BLACK),)),
    Kind("dotproduct", "Dot product", "Relief", "number", (_d("in1", "One", _BLACK), _d("in2", "Other", _BLACK))),
    Kind("crossproduct", "Cross product", "Relief", "direction", (_d("in1", "One", _BLACK), _d("in2", "Other", _BLACK))),
    Kind("distance", "Distance", "Relief", "number", (_d("in1", "One", _BLACK), _d("in2", "Other", _BLACK))),
)  # fmt: skip

KINDS: dict[str, Kind] = {kind.name: kind for kind in _KINDS}
FAMILIES: tuple[str, ...] = tuple(dict.fromkeys(kind.family for kind in _KINDS))
READS = ("red", "green", "blue", "luminance")


def input_of(kind: str, name: str) -> Input | None:
    """An input of a kind by name."""
    return next((one for one in KINDS[kind].inputs if one.name == name), None) if kind in KINDS else None


def choice_of(kind: str, chosen: dict[str, str], name: str) -> str:
    """What is chosen, the first of its values where nothing is or what is chosen is none of them."""
    known = KINDS[kind].choices[name]
    value = chosen.get(name)
    if not known:
        return value or ""
    return value if value in known else next(iter(known))


def source_of(reference: str) -> tuple[str, str]:
    """(id of a node, what of its colour is read or "") of "@id", "id" or "id:red"."""
    name, _, reads = reference.removeprefix("@").partition(":")
    return name, reads if reads in READS else ""
