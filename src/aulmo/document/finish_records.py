"""What a finish is made of: layers over a render, grades through masks, the balance of its lights. All in light; nothing is burnt in."""

from typing import Annotated, Literal

import msgspec

from aulmo.document.record_base import AssetName, Record, Shares, Triple, within

MOST_NAMES = 10_000  # of parts, groups, materials or decals that one mask holds
Blend = Literal["over", "add", "multiply", "screen", "darken", "lighten", "soft light", "difference"]


class HueBand(Record):
    """Colours about a hue (degrees of Oklab's circle), `width` degrees wide, and what becomes of them: a turn in degrees, shares of saturation and
    lightness."""

    hue: float = 30.0
    width: float = 60.0
    turn: float = 0.0
    saturation: float = 0.0
    lightness: float = 0.0


class Grade(Record):
    """What is done to light, in the order of `grading.graded`; at these values nothing is. Tones and amounts are shares, -1 to 1; sizes are
    thousandths of the picture's width, so that a small picture looks the same.

    `kelvin` and `tint` say which light is to be white. `contrast` turns about `pivot`. `curve` holds points (x, y) of tones from black at 0 to
    white at 1, for all colours, `red`, `green` and `blue` for one. `spare` keeps what is strong already, or like skin, from more `saturation`.
    `shade` and `light` tint shadows and highlights (1 is neutral). A `glow` takes what is over `glow_from` stops above white. `fringe` is in
    thousandths at the corners, `bend` of the lens as in a camera, `grain` a share at middle grey with grains of `grain_mm` on film 36 mm wide.
    `lut` is a table for display values.
    """

    exposure: float = 0.0
    kelvin: float = 6500.0
    tint: float = 0.0
    contrast: float = 0.0
    pivot: float = 0.18
    highlights: float = 0.0
    shadows: float = 0.0
    whites: float = 0.0
    blacks: float = 0.0
    curve: tuple[Shares, ...] = ()
    red: tuple[Shares, ...] = ()
    green: tuple[Shares, ...] = ()
    blue: tuple[Shares, ...] = ()
    saturation: float = 0.0
    spare: float = 0.5
    hues: tuple[HueBand, ...] = ()
    shade: Triple = (1.0, 1.0, 1.0)
    light: Triple = (1.0, 1.0, 1.0)
    local_contrast: float = 0.0
    detail: float = 0.0
    sharpen: float = 0.0
    sharpen_size: float = 0.6
    calm: float = 0.0
    glow: float = 0.0
    glow_from: float = 0.0
    glow_size: float = 30.0
    fringe: float = 0.0
    bend: float = 0.0
    vignette: float = 0.0
    grain: float = 0.0
    grain_mm: float = 0.02
    lut: AssetName | None = None
    lut_strength: float = 1.0


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
    kind: Literal[
        "part", "group", "material", "decal", "depth", "facing", "shadow", "luminance", "hue", "gradient", "ellipse", "rectangle", "polygon", "brush"
    ] = "ellipse"
    how: Literal["add", "take", "cross"] = "add"
    names: Annotated[tuple[str, ...], msgspec.Meta(max_length=MOST_NAMES)] = ()
    low: float = 0.0
    high: float = 1.0
    soft: float = 0.0
    across: float = 0.5
    down: float = 0.5
    width: float = 0.5
    height: float = 0.5
    turn: float = 0.0
    points: tuple[Shares, ...] = ()
    strokes: tuple[Stroke, ...] = ()
    follows: str = ""
    feather: float = 0.0
    feather_mm: float = 0.0
    outside: bool = False


class Balance(Record):
    """How bright a light is made after the render, in stops, and what colour it is multiplied by."""

    stops: float = 0.0
    colour: Triple = (1.0, 1.0, 1.0)
    on: bool = True


class Layer(Record):
    """One thing of a stack: the render, a light group, a pass, the shadows once more, the shot's photograph, a picture, a text, a colour, a gradient
    from one colour above to another below, a grade of all below it, or a group of layers (those whose `inside` is its id), which act on what is below
    it as one. `source` names the light group or pass, or is the text; a grade holds where its `masks` do, any other layer shows there.

    Pictures and texts have their middle at `across`, `down` and a `width`, in shares of the picture's width and height. "shadow" lays the shadows
    anew: softened by `soften` thousandths, of `colour`, `strength` times as deep. A render is the one before denoising with `raw`.
    """

    id: str
    name: str
    kind: Literal["render", "group", "pass", "shadow", "photograph", "picture", "text", "colour", "gradient", "grade", "stack"] = "grade"
    source: str = ""
    blend: Blend = "over"
    opacity: float = 1.0
    on: bool = True
    inside: str = ""
    picture: AssetName | None = None
    across: float = 0.5
    down: float = 0.5
    width: float = 1.0
    turn: float = 0.0
    colour: Triple = (0.18, 0.18, 0.18)
    colour_to: Triple = (0.5, 0.5, 0.5)
    soften: float = 0.0
    strength: float = 1.0
    raw: bool = False
    grade: Grade = Grade()
    masks: tuple[Mask, ...] = ()


class Finish(Record):
    """What is made of a shot's render: `balance` by light group, then `layers`, the lowest first. Without a layer of the kind "render" the render
    itself is the ground. `view` is the way light is shown, "" for the shot's own; `reference` a picture it is held against. Shots may share it."""

    id: str
    name: str = "Finish"
    layers: tuple[Layer, ...] = ()
    balance: dict[str, Balance] = {}
    view: Literal["", "Product neutral", "Film", "Plain"] = ""
    reference: AssetName | None = None
    reference_file: str = ""
