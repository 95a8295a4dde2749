"""What is printed or stuck on parts (Surface)."""

from typing import Annotated, Literal

from aulmo.document import property as say
from aulmo.document.record_base import AssetName, DecalId, Follow, MaterialId, PartId, Place, Record, Triple
from aulmo.document.surface_records import Adjust


class Swap(Record):
    """One of an artwork's main colours and what it becomes; ACEScg."""

    old: Annotated[Triple, say.colour("Colour")]
    new: Annotated[Triple, say.colour("Becomes")]


class Stood(Record):
    """Where a part stood when something was placed across it: the twelve numbers of its matrix in the world, row by row."""

    part: Annotated[PartId, say.reference("Part")]
    place: Annotated[tuple[Place, ...], say.many("Place")]


class Decal(Record):
    """Something printed or stuck on what lies below it. Later ones of a document lie on top.

    `artwork` is a picture, a text, a plain shape, or nothing but the surface in that shape; `material` is what it is made of. It `belongs` to
    `parts` (the first is the one it was put on), to every part alike (by `alike`: of the same shape, or of the same material), or to a region: all
    that lies in its projector. `position`, `turn` : its middle and its axes (x right, y up, z off the surface), in the part's own axes, of a region
    in the world. `width_mm`, `height_mm` and `radius_mm` in the same measure; the radius is positive where the surface bulges.
    `wrap` says what it is bent round: with "cylinder" the axis runs along its own y turned by `bend`. `depth_mm` is how far below and above it
    reaches, `facing` how far from it a surface may be turned away, in degrees. `rotate` turns the artwork, `flip_x` and `flip_y` mirror it.

    `colouring` keeps the artwork's colours, takes the surface's alone, or those of `swaps`. `roughness` replaces the surface's when it is not
    below 0. `edge_mm` is how high the edge stands, `raised_mm` how far light artwork stands out (below 0: in), `ground` the share of the relief below
    that shows through. `frame` names another decal that this one is seen within. `stood` : of a region, where each part stood when it was
    placed; with `slips` parts that move slip away under it. `follows` names colours of the project, as in a material.
    """

    id: str
    name: Annotated[str, say.text("Name")]
    artwork: Annotated[Literal["picture", "text", "shape", "surface"], say.choice("Artwork", "Picture", "Text", "Shape", "Surface alone")] = "picture"
    picture: Annotated[AssetName | None, say.reference("Picture")] = None
    file: Annotated[str, say.text("File")] = ""
    text: Annotated[str, say.text("Letters")] = "Odrel"
    shape: Annotated[
        Literal["rectangle", "rounded", "round", "ring", "triangle", "hexagon", "star"],
        say.choice("Shape", "Rectangle", "Rounded", "Round", "Ring", "Triangle", "Hexagon", "Star"),
    ] = "rectangle"
    material: Annotated[MaterialId | None, say.reference("Material")] = None
    belongs: Annotated[Literal["part", "alike", "region"], say.choice("On", "This part", "Every alike part", "A region")] = "part"
    alike: Annotated[Literal["shape", "material"], say.choice("Alike by", "Shape", "Material")] = "shape"
    parts: Annotated[tuple[PartId, ...], say.many("Parts")] = ()
    position: Annotated[Triple, say.vector("Place")] = (0.0, 0.0, 0.0)
    turn: Annotated[Triple, say.vector("Turn", "°", 1e6, 1, change="turns")] = (0.0, 0.0, 0.0)
    width_mm: Annotated[float, say.number("Width", 1.0, 300.0, "mm", 2, least=1e-4, most=1e6, curve=2.0)] = 40.0
    height_mm: Annotated[float, say.number("Height", 1.0, 300.0, "mm", 2, least=1e-4, most=1e6, curve=2.0)] = 40.0
    keep_shape: Annotated[bool, say.yes("Keep its shape")] = True
    rotate: Annotated[float, say.number("Rotate", -180, 180, "°", 1, -36000, 36000, change="shorter way")] = 0.0
    flip_x: Annotated[bool, say.yes("Mirrored across")] = False
    flip_y: Annotated[bool, say.yes("Upside down")] = False
    wrap: Annotated[Literal["flat", "cylinder", "ball"], say.choice("Lies", "Flat", "Round a cylinder", "On a ball")] = "flat"
    radius_mm: Annotated[float, say.number("Radius", -200, 200, "mm", 2, -1e6, 1e6, tip="Of what it is bent round; below 0 inside a hollow")] = 0.0
    bend: Annotated[float, say.number("Axis turned", -180, 180, "°", 1, -36000, 36000)] = 0.0
    depth_mm: Annotated[
        float,
        say.number("Depth", 0.01, 50, "mm", 2, 1e-4, 1e6, curve=2, tip="How far above and below its own face it reaches"),
    ] = 1.0
    facing: Annotated[float, say.number("Facing within", 10, 90, "°", 0, 1, 180)] = 80.0
    opacity: Annotated[float, say.number("Opacity", 0, 1)] = 1.0
    roughness: Annotated[float, say.number("Roughness", 0, 1, "", 2, -1, 1, tip="Of its own; below 0 as its surface has it")] = -1.0
    edge_mm: Annotated[float, say.number("Edge stands up", 0, 1, "mm", 3, 0, 1e3, curve=2)] = 0.0
    raised_mm: Annotated[
        float,
        say.number("Raised by artwork", -1, 1, "mm", 3, -1e3, 1e3, tip="Light artwork stands out by this much; below 0 it is engraved"),
    ] = 0.0
    ground: Annotated[float, say.number("Ground shows through", 0, 1, tip="How much of the relief below is felt")] = 0.0
    colouring: Annotated[Literal["artwork", "one", "swaps"], say.choice("Colours", "Of the artwork", "One colour", "Replaced")] = "artwork"
    colour: Annotated[Triple, say.colour("Colour")] = (0.02, 0.02, 0.02)
    swaps: Annotated[tuple[Swap, ...], say.many("Replaced")] = ()
    adjust: Adjust = Adjust()
    frame: Annotated[DecalId | None, say.reference("Seen within")] = None
    group: Annotated[str, say.text("Group")] = ""
    visible: Annotated[bool, say.yes("Visible")] = True
    slips: Annotated[bool, say.choice("A part that moves", {False: "Takes its piece along", True: "Slips under it"})] = False
    stood: Annotated[tuple[Stood, ...], say.many("Stood")] = ()
    follows: tuple[Follow, ...] = ()
