"""What a finish is made of: layers over a render, grades through masks, the balance of its lights. All in light; nothing is burnt in."""

from typing import Annotated, Literal

import msgspec

from aulmo.document import property as say
from aulmo.document.record_base import AssetName, Record, Shares, Triple, within

MOST_NAMES = 10_000  # of parts, groups, materials or decals that one mask holds
Blend = Literal["over", "add", "multiply", "screen", "darken", "lighten", "soft light", "difference"]


class HueBand(Record):
    """Colours about a hue (degrees of Oklab's circle), `width` degrees wide, and what becomes of them: a turn in degrees, shares of saturation and
    lightness."""

    hue: Annotated[float, say.number("Hue", 0, 360, "°", 0, -36000, 36000)] = 30.0
    width: Annotated[float, say.number("Width", 5, 360, "°", 0, 0.1, 360)] = 60.0
    turn: Annotated[float, say.number("Turn", -180, 180, "°", 0, -360, 360)] = 0.0
    saturation: Annotated[float, say.number("Stronger", -1, 1, "", 2, -1, 10)] = 0.0
    lightness: Annotated[float, say.number("Lightness", -1, 1, "", 2, -1, 10)] = 0.0


class Grade(Record):
    """What is done to light, in the order of `grading.graded`; at these values nothing is. Tones and amounts are shares, -1 to 1; sizes are
    thousandths of the picture's width, so that a small picture looks the same.

    `kelvin` and `tint` say which light is to be white. `contrast` turns about `pivot`. `blacks`, `shadows`, `middle`, `highlights` and `whites` lift
    dark, low, middle, high and bright tones, each where they lie. `curve` holds points (x, y) of tones from black at 0 to
    white at 1, for all colours, `red`, `green` and `blue` for one. `spare` keeps what is strong already, or like skin, from more `saturation`.
    `shade` and `light` tint shadows and highlights (1 is neutral). A `glow` takes what is over `glow_from` stops above white. `fringe` is in
    thousandths at the corners, `bend` of the lens as in a camera, `grain` a share at middle grey with grains of `grain_mm` on film 36 mm wide.
    `lut` is a table for display values.
    """

    exposure: Annotated[float, say.number("Stops", -4, 4, "stops", 2, -60, 60), say.row("Light and colour")] = 0.0
    kelvin: Annotated[
        float,
        say.number("White", 2000, 12000, "K", 0, 1000, 40000, curve=1.5, tip="The colour of light that becomes white"),
        say.row("Light and colour"),
    ] = 6500.0
    tint: Annotated[float, say.number("Tint", -100, 100, "", 1, -1000, 1000), say.row("Light and colour")] = 0.0
    contrast: Annotated[float, say.number("Contrast", -0.8, 1, "", 2, -0.99, 10), say.row("Light and colour")] = 0.0
    blacks: Annotated[float, say.number("Dark", -1, 1, "", 2, -4, 4), say.row("Tones", small=True)] = 0.0
    shadows: Annotated[float, say.number("Low", -1, 1, "", 2, -4, 4), say.row("Tones", small=True)] = 0.0
    middle: Annotated[float, say.number("Middle", -1, 1, "", 2, -4, 4), say.row("Tones", small=True)] = 0.0
    highlights: Annotated[float, say.number("High", -1, 1, "", 2, -4, 4), say.row("Tones", small=True)] = 0.0
    whites: Annotated[float, say.number("Bright", -1, 1, "", 2, -4, 4), say.row("Tones", small=True)] = 0.0
    pivot: Annotated[float, say.number("About", 0.01, 1, "", 3, 1e-4, 100, curve=2), say.row("Light and colour", small=True)] = 0.18
    curve: Annotated[tuple[Shares, ...], say.many("Curve")] = ()
    red: Annotated[tuple[Shares, ...], say.many("Curve of red")] = ()
    green: Annotated[tuple[Shares, ...], say.many("Curve of green")] = ()
    blue: Annotated[tuple[Shares, ...], say.many("Curve of blue")] = ()
    saturation: Annotated[float, say.number("Strength", -1, 1, "", 2, -1, 10, tip="Of all colours"), say.row("Light and colour")] = 0.0
    spare: Annotated[
        float,
        say.number("Spares", 0, 1, tip="Keeps what is strong already, or like skin, from more saturation"),
        say.row("Light and colour"),
    ] = 0.5
    hues: Annotated[tuple[HueBand, ...], say.many("Only hues")] = ()
    shade: Annotated[Triple, say.colour("Tint shadows"), say.row("Tints")] = (1.0, 1.0, 1.0)
    light: Annotated[Triple, say.colour("Tint lights"), say.row("Tints")] = (1.0, 1.0, 1.0)
    local_contrast: Annotated[float, say.number("Local contrast", -1, 1, "", 2, -4, 10), say.row("Detail", looks_about=True)] = 0.0
    detail: Annotated[float, say.number("Fine detail", -1, 1, "", 2, -4, 10), say.row("Detail", looks_about=True)] = 0.0
    sharpen: Annotated[float, say.number("Sharpen", 0, 2, "", 2, 0, 20), say.row("Detail", looks_about=True)] = 0.0
    sharpen_size: Annotated[
        float,
        say.number("Over", 0.1, 5, "‰", 2, 0.01, 100, tip="Thousandths of the picture’s width"),
        say.row("Detail", small=True),
    ] = 0.6
    calm: Annotated[float, say.number("Noise", 0, 1, tip="How much of it is taken away"), say.row("Detail", looks_about=True)] = 0.0
    glow: Annotated[float, say.number("Glow", 0, 1), say.row("Lens and film", looks_about=True)] = 0.0
    glow_from: Annotated[float, say.number("From", -4, 6, "stops", 1, -20, 20, tip="Over white"), say.row("Lens and film")] = 0.0
    glow_size: Annotated[float, say.number("Reach", 1, 200, "‰", 0, 0.01, 1000, curve=2), say.row("Lens and film")] = 30.0
    fringe: Annotated[float, say.number("Colour fringe", -5, 5, "‰", 1, -100, 100), say.row("Lens and film", looks_about=True)] = 0.0
    bend: Annotated[float, say.number("Bend", -0.5, 0.5, "", 3, -2, 2), say.row("Lens and film", looks_about=True)] = 0.0
    vignette: Annotated[float, say.number("Vignette", -2, 3, "stops", 2, -20, 20), say.row("Lens and film", looks_about=True)] = 0.0
    grain: Annotated[float, say.number("Grain", 0, 0.5, "", 2, 0, 10), say.row("Lens and film", looks_about=True)] = 0.0
    grain_mm: Annotated[
        float,
        say.number("Grains", 0.005, 0.2, "mm", 3, 0.001, 5, tip="On film 36 mm wide"),
        say.row("Lens and film", small=True),
    ] = 0.02
    lut: Annotated[AssetName | None, say.reference("Table")] = None
    lut_strength: Annotated[float, say.number("Of the table", 0, 1), say.row("Table")] = 1.0


class Stroke(Record):
    """A stroke of the brush: places as of a mask, its width in thousandths of the picture's, how much of it takes at once (`flow`), how much of its
    radius is soft, and whether it wipes out. With `edges` it keeps to colours like those under it, the more the nearer `edges` is to 1."""

    points: tuple[Shares, ...]
    size: Annotated[float, within(0.01, 10_000.0)] = 60.0
    flow: Annotated[float, within(0.0, 1.0)] = 1.0
    soft: Annotated[float, within(0.0, 1.0)] = 0.5
    edges: Annotated[float, within(0.0, 1.0)] = 0.0
    wipes: bool = False


class Mask(Record):
    """Where something holds. `kind` says by what: names of parts, groups, materials or decals (by their mattes), a range of `low` to `high` (of depth
    in mm, of facing and luminance in shares of 1, of hue in degrees), or a shape. Places are shares of the picture's width and height from its upper
    left corner.

    It adds to the masks before it, takes away from them, or keeps only what both have. `soft` is how far a range fades out, in its own measure;
    `feather` how far any mask does, in thousandths of the width, or in mm where it lies with `feather_mm`. `turn` in degrees. A shape that `follows`
    a part has its place from the middle of that part, wherever that is in the picture.
    """

    id: str
    kind: Annotated[
        Literal["part", "group", "material", "decal", "depth", "facing", "shadow", "luminance", "hue", "gradient", "ellipse", "rectangle",
            "polygon", "brush"],
        say.choice("By", "Part", "Group of parts", "Material", "Decal", "Depth", "Facing", "Shadow", "Luminance", "Hue", "Gradient", "Ellipse",
            "Rectangle", "Polygon", "Brush"),
    ] = "ellipse"
    how: Annotated[Literal["add", "take", "cross"], say.choice("How", "Adds", "Takes away", "Keeps what both have")] = "add"
    names: Annotated[tuple[str, ...], msgspec.Meta(max_length=MOST_NAMES), say.many("Of")] = ()
    low: Annotated[float, say.number("From", -1e3, 1e4, "", 2, -1e9, 1e9)] = 0.0
    high: Annotated[float, say.number("To", -1e3, 1e4, "", 2, -1e9, 1e9)] = 1.0
    soft: Annotated[float, say.number("Fades over", 0, 1e3, "", 2, 0, 1e9)] = 0.0
    across: Annotated[float, say.number("Across", 0, 1, "", 3, -100, 100)] = 0.5
    down: Annotated[float, say.number("Down", 0, 1, "", 3, -100, 100)] = 0.5
    width: Annotated[float, say.number("Width", 0, 1, "", 3, 0, 100)] = 0.5
    height: Annotated[float, say.number("Height", 0, 1, "", 3, 0, 100)] = 0.5
    turn: Annotated[float, say.number("Turn", -180, 180, "°", 1, -36000, 36000, change="shorter way")] = 0.0
    points: Annotated[tuple[Shares, ...], say.many("Corners")] = ()
    strokes: Annotated[tuple[Stroke, ...], say.many("Strokes")] = ()
    follows: Annotated[str, say.text("Follows")] = ""
    feather: Annotated[float, say.number("Feather", 0, 200, "‰", 1, 0, 10000, curve=2, tip="Thousandths of the picture’s width")] = 0.0
    feather_mm: Annotated[
        float,
        say.number("Feather, mm", 0, 100, "mm", 1, 0, 1e6, curve=2, tip="As far as it reaches on the things themselves"),
    ] = 0.0
    outside: Annotated[bool, say.yes("All but this")] = False


class Balance(Record):
    """How bright a light is made after the render, in stops, and what colour it is multiplied by."""

    stops: Annotated[float, say.number("Brightness", -6, 6, "stops", 1, -60, 60)] = 0.0
    colour: Annotated[Triple, say.colour("Colour")] = (1.0, 1.0, 1.0)
    on: Annotated[bool, say.yes("On")] = True


class Layer(Record):
    """One thing of a stack: the render, a light group, a pass, the shadows once more, the shot's photograph, a picture, a text, a colour, a gradient
    from one colour above to another below, a grade of all below it, or a group of layers (those whose `inside` is its id), which act on what is below
    it as one. `source` names the light group or pass, or is the text; a grade holds where its `masks` do, any other layer shows there.

    Pictures and texts have their middle at `across`, `down` and a `width`, in shares of the picture's width and height. "shadow" lays the shadows
    anew: softened by `soften` thousandths, of `colour`, `strength` times as deep. A render is the one before denoising with `raw`.
    """

    id: str
    name: Annotated[str, say.text("Name")]
    kind: Annotated[
        Literal["render", "group", "pass", "shadow", "photograph", "picture", "text", "colour", "gradient", "grade", "stack"],
        say.choice("Kind", "Render", "Light group", "Pass", "Shadow", "Photograph", "Picture", "Text", "Colour", "Gradient", "Grade", "Group"),
    ] = "grade"
    source: Annotated[str, say.text("Light or pass")] = ""
    blend: Annotated[Blend, say.choice("Lies", "Over", "Added", "Multiplied", "Screen", "Darker", "Lighter", "Soft light", "Difference")] = "over"
    opacity: Annotated[float, say.number("Opacity", 0, 1)] = 1.0
    on: Annotated[bool, say.yes("On")] = True
    inside: Annotated[str, say.reference("In group")] = ""
    picture: Annotated[AssetName | None, say.reference("Picture")] = None
    across: Annotated[float, say.number("Across", 0, 1, "", 3, -100, 100)] = 0.5
    down: Annotated[float, say.number("Down", 0, 1, "", 3, -100, 100)] = 0.5
    width: Annotated[float, say.number("Width", 0.01, 2, "", 3, 1e-4, 100)] = 1.0
    turn: Annotated[float, say.number("Turn", -180, 180, "°", 1, -36000, 36000, change="shorter way")] = 0.0
    colour: Annotated[Triple, say.colour("Colour")] = (0.18, 0.18, 0.18)
    colour_to: Annotated[Triple, say.colour("To")] = (0.5, 0.5, 0.5)
    soften: Annotated[float, say.number("Soften", 0, 60, "‰", 1, 0, 1000, curve=2, tip="Thousandths of the picture’s width")] = 0.0
    strength: Annotated[float, say.number("Depth", 0, 2, "", 2, 0, 20, tip="1 is as the light gave it, 0 no shadow")] = 1.0
    raw: Annotated[bool, say.yes("Before denoising")] = False
    grade: Grade = Grade()
    masks: tuple[Mask, ...] = ()


class Finish(Record):
    """What is made of a shot's render: `balance` by light group, then `layers`, the lowest first. Without a layer of the kind "render" the render
    itself is the ground. `view` is the way light is shown, "" for the shot's own; `reference` a picture it is held against. Shots may share it."""

    id: str
    name: Annotated[str, say.text("Name")] = "Finish"
    layers: tuple[Layer, ...] = ()
    balance: dict[str, Balance] = {}
    view: Annotated[
        Literal["", "Product neutral", "Film", "Plain", "Crisp"],
        say.choice("Shown as", "As the shot", "Product neutral", "Film", "Plain", "Crisp"),
    ] = ""
    reference: Annotated[AssetName | None, say.reference("Reference")] = None
    reference_file: Annotated[str, say.text("Reference")] = ""
