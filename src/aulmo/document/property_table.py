"""Every property of every record: its words, its unit, its range, and how it goes from one value to another.

The reader, the fields of the window, scripts and keys all follow this one table. `low` and `high` are the useful range that a slider's track
shows, `least` and `most` what makes sense at all.
"""

from typing import Any, Literal

import msgspec

from aulmo.document import records as r
from aulmo.document.node_table import KINDS, Input

Change = Literal["evenly", "stops", "shorter way", "turns", "step"]


class Property(msgspec.Struct, frozen=True):
    """What is known of a property without looking at a document.

    `kind` tells what its value is ("either" one number or three); `unit` is the document's own. `curve` bends a slider's track. `change` says how
    it goes from one value to
    another: evenly, in stops (by equal ratios), round by the shorter way, as turns in space, or all at once.
    """

    label: str
    kind: Literal["number", "whole", "yes", "colour", "vector", "either", "choice", "text", "link", "many"]
    unit: str = ""
    low: float = 0.0
    high: float = 1.0
    least: float = 0.0
    most: float = 1.0
    decimals: int = 2
    curve: float = 1.0
    change: Change = "evenly"
    choices: dict[Any, str] = {}
    tip: str = ""
    default: Any = None
    nonzero: bool = False


def _number(label, low, high, unit="", decimals=2, least=None, most=None, curve=1.0, tip="", change="evenly", kind="number") -> Property:
    return Property(label, kind, unit, low, high, low if least is None else least, high if most is None else most, decimals, curve, change, {}, tip)


def _whole(label, low, high, least=None, most=None, tip="") -> Property:
    return _number(label, low, high, "", 0, least, most, tip=tip, change="step", kind="whole")


def _yes(label, tip="") -> Property:
    return Property(label, "yes", change="step", tip=tip)


def _colour(label, tip="", most=1e6) -> Property:
    return Property(label, "colour", most=most, tip=tip)


def _vector(label, unit="mm", reach=1e8, decimals=2, change="evenly", nonzero=False) -> Property:
    return Property(label, "vector", unit, -reach, reach, -reach, reach, decimals, 1.0, change, nonzero=nonzero)


def _choice(label, choices: dict) -> Property:
    return Property(label, "choice", change="step", choices=choices)


def _text(label, kind="text") -> Property:
    return Property(label, kind, change="step")


LAMP_KINDS = {
    "rectangle": "Rectangle", "disc": "Disc", "ring": "Ring", "sphere": "Sphere", "tube": "Tube", "point": "Point", "spot": "Spot",
    "distant": "Distant", "sun": "Sun", "photometric": "Photometric", "portal": "Portal",
}  # fmt: skip

PIECE_KINDS = {
    "floor": "Floor", "wall": "Wall", "cove": "Cove", "plinth": "Plinth", "shelf": "Shelf", "turntable": "Turntable", "block": "Block",
    "cylinder": "Cylinder", "cone": "Cone", "tube": "Tube", "sphere": "Sphere", "torus": "Torus", "text": "Text", "water": "Water",
}  # fmt: skip
COPY_KINDS = {
    "row": "Row", "ring": "Ring", "grid": "Grid", "path": "Along a path", "box": "In a box", "ball": "In a ball", "surface": "Over a surface",
}  # fmt: skip
MOST_COPIES = 1_000_000
MOTION_KINDS = {
    "spin": "Spin", "slide": "Slide", "lift": "Lift", "swing": "Swing", "fade": "Fade", "glow": "Glow", "turntable": "Turntable", "orbit": "Orbit",
    "dolly": "Dolly", "zoom": "Zoom", "fly": "Fly through", "follow": "Follow a path", "roll": "Roll", "steer": "Steer", "ride": "Ride",
    "shake": "Shake",
}  # fmt: skip


def _size(label, high, least=0.01) -> Property:
    return _number(label, 0, high, "mm", 1, least, 1e6, curve=2)


_SURFACE = {
    "base_weight": _number("Strength", 0, 1),
    "base_color": _colour("Colour"),
    "base_diffuse_roughness": _number("Chalkiness", 0, 1),
    "base_metalness": _number("Metalness", 0, 1),
    "specular_weight": _number("Strength", 0, 1, most=100),
    "specular_color": _colour("Edge tint"),
    "specular_roughness": _number("Roughness", 0, 1),
    "specular_ior": _number("Refraction", 1.0, 2.5, decimals=3, most=5),
    "specular_roughness_anisotropy": _number("Stretch", 0, 1),
    "transmission_weight": _number("Clearness", 0, 1),
    "transmission_color": _colour("Tint"),
    "transmission_depth": _number("Tint at", 0, 100, "mm", 1, most=1e6, curve=2, tip="Thickness at which the tint is reached; 0 tints the surface"),
    "transmission_scatter": _colour("Cloudiness", "How much of the light each colour loses to scattering over the depth above"),
    "transmission_scatter_anisotropy": _number("Cloud bias", -1, 1, tip="Below zero scatters back, above zero onward"),
    "transmission_dispersion_scale": _number("Dispersion", 0, 1, most=100, tip="How strongly colours are bent apart; 0 is off"),
    "transmission_dispersion_abbe_number": _number("Abbe number", 9, 91, "", 1, 1, 500),
    "subsurface_weight": _number("Amount", 0, 1),
    "subsurface_color": _colour("Colour"),
    "subsurface_radius": _number("Reach", 0, 20, "mm", 2, most=1e5, curve=2, tip="How far light wanders between scatterings"),
    "subsurface_radius_scale": _colour("By colour"),
    "subsurface_scatter_anisotropy": _number("Bias", -1, 1),
    "coat_weight": _number("Amount", 0, 1),
    "coat_color": _colour("Tint"),
    "coat_roughness": _number("Roughness", 0, 1),
    "coat_roughness_anisotropy": _number("Stretch", 0, 1),
    "coat_ior": _number("Refraction", 1.0, 2.5, decimals=3, most=5),
    "coat_darkening": _number("Deepening", 0, 1),
    "fuzz_weight": _number("Amount", 0, 1),
    "fuzz_color": _colour("Colour"),
    "fuzz_roughness": _number("Roughness", 0, 1),
    "thin_film_weight": _number("Amount", 0, 1),
    "thin_film_thickness": _number("Thickness", 0, 1.5, "µm", 3, most=50),
    "thin_film_ior": _number("Refraction", 1.0, 2.5, decimals=3, most=5),
    "emission_luminance": _number("Luminance", 0, 20000, "nits", 0, most=1e9, curve=3, change="stops"),
    "emission_color": _colour("Colour"),
    "geometry_opacity": _number("Opacity", 0, 1),
    "geometry_thin_walled": _yes("Thin sheet", "A pane without an inside: light passes straight"),
    "geometry_tangent_turn": _number("Stretch turn", -90, 90, "°", 1, -3600, 3600, tip="Away from running round the part's own axis"),
    "nesting_priority": _whole(
        "Priority", -5, 5, -100, 100,
        "Where clear solids overlap, the higher one is what is there: let oil reach into its glass and give the glass more",
    ),
}  # fmt: skip

_SIZE = {"least": 1e-4, "most": 1e6}

TABLE: dict[type, dict[str, Property]] = {
    r.Placement: {
        "position": _vector("Position"),
        "turn": _vector("Turn", "°", 1e6, change="turns"),
        "scale": _vector("Scale", "", 1e6, 3, nonzero=True),
    },
    r.Finesse: {
        "chord_mm": _number("Gap", 1e-4, 1, "mm", 4, 1e-6, 1e4, tip="Largest distance between triangles and the exact shape"),
        "angle": _number("Angle", 1, 90, "°", 1, 0.1, 120, tip="Largest angle between neighbouring triangles"),
    },
    r.Part: {
        "name": _text("Name"), "material": _text("Material", "link"), "mesh": _text("Triangles", "link"), "shape": _text("Exact shape", "link"),
        "visible": _yes("Visible"), "locked": _yes("Locked"), "source_key": _text("Came from"),
        "opacity": _number("Opacity", 0, 1, tip="Of it and all below it, whatever they wear"),
        "glow": _number("Glow", -6, 6, "stops", 2, -60, 60, tip="How much brighter what glows there is"),
        "edge_radius": _number("Softened", 0, 2, "mm", 3, most=1e4, curve=2, tip="Sharp edges look rounded by this much; 0 is off"),
        "catches": _choice("Catches", {"nothing": "Nothing", "shadow": "Shadow", "reflection": "Shadow and reflection"}),
        "pivot": _vector("Pivot"),
        "gives_back": _yes("Gives its colour back", "What stands there is lit by it"),
        "unseen": _choice("Camera sees it", {"never": "Always", "between": "Unless it stands between", "always": "Never"}),
    },
    r.SetPiece: {
        "kind": _choice("Kind", PIECE_KINDS),
        "width": _size("Width", 2000), "depth": _size("Depth", 2000), "height": _size("Height", 1000), "radius": _size("Radius", 500),
        "radius_top": _size("Top radius", 500, least=0.0), "thickness": _size("Thickness", 100), "bevel": _size("Bevel", 20, least=0.0),
        "text": _text("Letters"),
        "wind": _number("Wind", 0, 12, "m/s", 1, 0, 60, tip="How strongly the water is stirred"),
        "wave": _size("Wave length", 1000),
        "seed": _whole("Pattern", 0, 100, 0, 2_000_000_000, tip="Another number, other waves"),
    },
    r.Copies: {
        "kind": _choice("Rule", COPY_KINDS),
        "count": _whole("Count", 1, 200, 1, MOST_COPIES),
        "step": _vector("Step", decimals=1), "columns": _whole("Columns", 1, 20, 1, MOST_COPIES), "rows": _whole("Rows", 1, 20, 1, MOST_COPIES),
        "centre": _vector("Centre", decimals=1), "axis": _choice("Axis", {"x": "X", "y": "Y", "z": "Z"}),
        "radius": _number("Radius", 0, 500, "mm", 1, 0, 1e7, curve=2, tip="0 keeps the distance that the source has"),
        "sweep": _number("Sweep", 0, 360, "°", 1, -36000, 36000),
        "turned": _yes("Turns with it", "Each copy turns as the ring or the path turns; off keeps them all alike"),
        "path": _text("Path", "link"),
        "box": _vector("Box", decimals=1), "on": _text("On", "many"),
        "apart": _number("Apart", 0, 200, "mm", 1, 0, 1e7, curve=2, tip="Least distance between two copies; fewer are made where there is no room"),
        "upright": _yes("Upright", "Copies stand straight; off lets them stand square to the surface"),
        "steepest": _number("Slope up to", 0, 180, "°", 0, 0, 180, tip="How far from straight up a surface may face to get copies"),
        "anchor": _choice("Put by its", {"base": "Base", "middle": "Middle", "origin": "Origin"}),
        "jitter_place": _vector("Place varies", decimals=1), "jitter_turn": _vector("Turn varies", "°", 3600, 0),
        "jitter_size": _number("Size varies", 0, 0.9, "", 2, 0, 0.95),
        "seed": _whole("Pattern", 0, 100, 0, 2_000_000_000),
        "shares": _text("Shares", "many"), "hidden": _text("Hidden", "many"),
    },
    r.Slice: {"point": _vector("Point"), "normal": _vector("Direction", "", 1e6, 3)},
    r.Piece: {"faces": _text("Faces", "many"), "slices": _text("Cuts", "many")},
    r.GuidePath: {"name": _text("Name"), "points": _text("Points", "many"), "smooth": _choice("Drawn", {True: "Smooth", False: "Straight"}),
        "closed": _choice("Ends", {False: "Open", True: "Closed"})},
    r.FaceSet: {"name": _text("Name"), "faces": _text("Faces", "many"), "material": _text("Material", "link")},
    r.Selection: {"name": _text("Name"), "parts": _text("Parts", "many")},
    r.Source: {
        "name": _text("Name"), "path": _text("File"), "roots": _text("Parts", "many"),
        "unit_mm": _number("Unit", 1e-3, 1e6, "mm", 3, 1e-6, 1e9), "offered": _number("Likelier unit", 0, 1e6, "mm", 3, most=1e9),
        "up": _choice("Up", {"z": "Z", "y": "Y", "x": "X"}),
        "whole": _choice("Several solids", {False: "A group", True: "One part"}),
        "dressed": _choice("Colours", {True: "Plastic and metal", False: "Plain"}),
        "solids": _whole("Solids", 0, 1000, 0, 10_000_000), "digest": _text("Content"),
    },
    r.Surface: _SURFACE,
    r.Node: {
        "kind": _text("Kind"), "image": _text("Picture", "link"), "as_colour": _yes("Values are colours"),
        "projection": _choice("Laid", {"flat": "Flat", "box": "As a box", "cylinder": "Round the axis", "sphere": "As a ball"}),
        "axis": _choice("Axis", {"x": "X", "y": "Y", "z": "Z"}),
        "file": _text("File"), "lay": _text("Lay"),
        "channel": _choice("Reads", {
            "colour": "Colour", "solid": "Colour without alpha", "red": "Red", "green": "Green", "blue": "Blue", "alpha": "Alpha",
        }),
        "green_down": _yes("Green points down", "Of a normal map: which way its green leans"),
        "name": _text("Name"), "group": _text("Card"), "choices": _text("Choices", "many"), "stops": _text("Stops", "many"),
        "place": _text("Place", "many"),
    },
    r.Stop: {"at": _number("At", 0, 1, "", 3, -1e6, 1e6), "colour": _colour("Colour")},
    r.NodeGroup: {"name": _text("Name"), "inputs": _text("Inputs", "many"), "place": _text("Place", "many")},
    r.SurfaceLayer: {"name": _text("Name"), "mask": _number("Shows", 0, 1), "place": _text("Place", "many")},
    r.Adjust: {
        "brightness": _number("Brightness", -3, 3, "stops", 2, -30, 30),
        "contrast": _number("Contrast", 0, 2, "", 2, 0, 20),
        "saturation": _number("Saturation", 0, 2, "", 2, 0, 10),
        "hue": _number("Hue", -180, 180, "°", 0, -36000, 36000),
        "tint": _colour("Tint"),
        "turned_over": _yes("Turned over", "Dark becomes light: a gloss picture as roughness"),
        "low": _number("Black at", 0, 1, "", 2, -100, 100),
        "high": _number("White at", 0, 1, "", 2, -100, 100),
        "middle": _number("Middle", 0.2, 5, "", 2, 0.01, 100, curve=2, tip="Above 1 lifts what lies between"),
    },
    r.Lay: {
        "name": _text("Name"),
        "projection": _choice("Laid", {
            "box": "As a box", "flat": "Flat", "cylinder": "As a cylinder", "sphere": "As a ball", "axis": "Round an axis",
            "uv": "As the file has it",
        }),
        "position": _vector("Place"), "turn": _vector("Turn", "°", 1e6, 1, change="turns"),
        "width_mm": _number("Width", 1.0, 500.0, "mm", 2, **_SIZE, curve=2.0),
        "height_mm": _number("Height", 1.0, 500.0, "mm", 2, **_SIZE, curve=2.0),
        "keep_shape": _yes("Keep its shape"),
        "rotate": _number("Rotate", -180, 180, "°", 1, -36000, 36000),
        "offset_x_mm": _number("Right by", -100, 100, "mm", 2, -1e6, 1e6), "offset_y_mm": _number("Up by", -100, 100, "mm", 2, -1e6, 1e6),
        "gap_x_mm": _number("Space across", 0, 100, "mm", 2, 0, 1e6, curve=2), "gap_y_mm": _number("Space down", 0, 100, "mm", 2, 0, 1e6, curve=2),
        "tile": _choice("Repeats", {"both": "Both ways", "across": "Across", "down": "Down", "none": "Once"}),
        "mirror": _yes("Mirror every second"),
        "depth_mm": _number("Depth", 0, 200, "mm", 2, 0, 1e6, curve=2, tip="How far a flat picture reaches from its plane; 0 goes right through"),
        "blend": _number("Soft seams", 0, 1),
        "radius_mm": _number("Radius", 0, 500, "mm", 2, 0, 1e6, curve=2, tip="0 takes the distance that the surface has from the axis"),
        "repeat_x": _number("Times across", 0.1, 20, "", 2, -1e5, 1e5, curve=2),
        "repeat_y": _number("Times down", 0.1, 20, "", 2, -1e5, 1e5, curve=2),
        "shift_x": _number("Shift across", -1, 1, "", 3, -1e5, 1e5), "shift_y": _number("Shift down", -1, 1, "", 3, -1e5, 1e5),
    },
    r.Swap: {"old": _colour("Colour"), "new": _colour("Becomes")},
    r.Stood: {"part": _text("Part", "link"), "place": _text("Place", "many")},
    r.Decal: {
        "name": _text("Name"),
        "artwork": _choice("Artwork", {"picture": "Picture", "text": "Text", "shape": "Shape", "surface": "Surface alone"}),
        "picture": _text("Picture", "link"), "file": _text("File"), "text": _text("Letters"),
        "shape": _choice("Shape", {
            "rectangle": "Rectangle", "rounded": "Rounded", "round": "Round", "ring": "Ring", "triangle": "Triangle", "hexagon": "Hexagon",
            "star": "Star",
        }),
        "material": _text("Material", "link"),
        "belongs": _choice("On", {"part": "This part", "alike": "Every alike part", "region": "A region"}),
        "alike": _choice("Alike by", {"shape": "Shape", "material": "Material"}),
        "parts": _text("Parts", "many"),
        "position": _vector("Place"), "turn": _vector("Turn", "°", 1e6, 1, change="turns"),
        "width_mm": _number("Width", 1.0, 300.0, "mm", 2, **_SIZE, curve=2.0),
        "height_mm": _number("Height", 1.0, 300.0, "mm", 2, **_SIZE, curve=2.0),
        "keep_shape": _yes("Keep its shape"),
        "rotate": _number("Rotate", -180, 180, "°", 1, -36000, 36000, change="shorter way"),
        "flip_x": _yes("Mirrored across"), "flip_y": _yes("Upside down"),
        "wrap": _choice("Lies", {"flat": "Flat", "cylinder": "Round a cylinder", "ball": "On a ball"}),
        "radius_mm": _number("Radius", -200, 200, "mm", 2, -1e6, 1e6, tip="Of what it is bent round; below 0 inside a hollow"),
        "bend": _number("Axis turned", -180, 180, "°", 1, -36000, 36000),
        "depth_mm": _number("Depth", 0.01, 50, "mm", 2, 1e-4, 1e6, curve=2, tip="How far above and below its own face it reaches"),
        "facing": _number("Facing within", 10, 90, "°", 0, 1, 180),
        "opacity": _number("Opacity", 0, 1),
        "roughness": _number("Roughness", 0, 1, "", 2, -1, 1, tip="Of its own; below 0 as its surface has it"),
        "edge_mm": _number("Edge stands up", 0, 1, "mm", 3, 0, 1e3, curve=2),
        "raised_mm": _number("Raised by artwork", -1, 1, "mm", 3, -1e3, 1e3, tip="Light artwork stands out by this much; below 0 it is engraved"),
        "ground": _number("Ground shows through", 0, 1, tip="How much of the relief below is felt"),
        "colouring": _choice("Colours", {"artwork": "Of the artwork", "one": "One colour", "swaps": "Replaced"}),
        "colour": _colour("Colour"), "swaps": _text("Replaced", "many"),
        "frame": _text("Seen within", "link"), "group": _text("Group"),
        "visible": _yes("Visible"), "slips": _choice("A part that moves", {False: "Takes its piece along", True: "Slips under it"}),
        "stood": _text("Stood", "many"),
    },
    r.Material: {
        "name": _text("Name"), "kind": _text("Kind"), "swatch": _text("Of the library"), "tags": _text("Tags", "many"), "made_for": _text("Made for"),
        "displacement_step": _number("Cut", 0.05, 5, "mm", 3, 1e-3, 1e5, tip="Longest edge of the triangles that displacement is built of"),
    },
    r.Environment: {
        "kind": _choice("Ground", {"picture": "Picture", "colour": "One colour", "gradient": "Gradient", "sky": "Sun and sky"}),
        "image": _text("Set", "link"), "shipped": _yes("Comes with Aulmo"),
        "turn": _number("Turn", -180, 180, "°", 1, -36000, 36000),
        "tilt": _number("Tilt", -90, 90, "°", 1, -3600, 3600),
        "exposure": _number("Exposure", -6, 6, "stops", 2, -60, 60),
        "saturation": _number("Saturation", 0, 2, "", 2, 0, 10),
        "kelvin": _number("White", 2500, 12000, "K", 0, 1700, 25000, tip="6500 K leaves the picture as it is"),
        "blur": _number("Blur", 0, 60, "°", 1, 0, 180, curve=2),
        "radius_mm": _number("Size", 0, 20000, "mm", 0, 0, 1e9, curve=3, tip="How far away the walls are; 0 is endlessly far"),
        "centre": _vector("Seen from", decimals=0),
        "on_floor": _yes("Lower half on the floor", "What is below the horizon lies flat, so that the product stands in the place"),
        "colour": _colour("Colour", "1 is white in 3000 lux; black is all lights off"), "stops": _text("Gradient", "many"),
        "stays_with": _choice("Stays with", {"scene": "The scene", "camera": "The camera", "part": "The product"}),
        "part": _text("Follows", "link"),
    },
    r.GradeStop: {
        "at": _number("At", 0, 1, "", 2), "stops": _number("Brightness", -6, 6, "stops", 1, -60, 60), "colour": _colour("Colour"),
    },
    r.Softbox: {
        "name": _text("Name"),
        "kind": _choice("Kind", {"plain": "Plain", "graded": "Graded", "picture": "Picture"}),
        "shape": _choice("Shape", {"rectangle": "Rectangle", "round": "Round", "ring": "Ring", "half": "Half round", "polygon": "Polygon"}),
        "azimuth": _number("Azimuth", -180, 180, "°", 1, -36000, 36000, change="shorter way", tip="From the camera's side; right is above 0"),
        "elevation": _number("Elevation", -90, 90, "°", 1, -90, 90),
        "turn": _number("Turn", -180, 180, "°", 1, -36000, 36000, change="shorter way"),
        "width": _number("Width", 1, 180, "°", 1, 0.05, 360, curve=1.5), "height": _number("Height", 1, 180, "°", 1, 0.05, 360, curve=1.5),
        "corner": _number("Corner", 0, 1), "inner": _number("Hole", 0, 0.98, "", 2, 0, 0.999), "sides": _whole("Sides", 3, 12, 3, 64),
        "bent": _yes("Follows a great circle", "Its long side is bent round the dome, as far as it reaches"),
        "edge": _number("Soft edge", 0, 1), "hot_size": _number("Hot spot size", 0.1, 2, "", 2, 0.01, 20), "hot": _number("Hot spot", 0, 1),
        "stops": _number("Brightness", -4, 8, "stops", 1, -60, 30, tip="Above white: the light of a white card in 3000 lux"),
        "kelvin": _number("Temperature", 1700, 12000, "K", 0, 1000, 40000), "colour": _colour("Filter"),
        "opacity": _number("Opacity", 0, 1),
        "blend": _choice("Lies", {"over": "Over", "add": "Added", "flag": "Flag"}),
        "grade": _choice("Graded", {"along": "Along", "across": "Across", "round": "Round"}), "grades": _text("Grades", "many"),
        "picture": _text("Picture", "link"), "shipped": _yes("Comes with Aulmo"),
        "on": _yes("On"), "solo": _yes("Solo"), "locked": _yes("Locked"), "group": _text("Light group"),
        "stays_with": _choice("Stays with", {"dome": "The dome", "scene": "The scene", "camera": "The camera", "part": "The product"}),
        "part": _text("Follows", "link"),
    },
    r.Sky: {
        "turbidity": _number("Haze", 1.7, 10, "", 1, tip="Turbidity: 2 very clear, 3 clear, 6 hazy"),
        "azimuth": _number("Sun azimuth", 0, 360, "°", 1, -36000, 36000, change="shorter way"),
        "elevation": _number("Elevation", -10, 90, "°", 1, -90, 90),
        "latitude": _number("Latitude", -90, 90, "°", 2),
        "longitude": _number("Longitude", -180, 180, "°", 2, -360, 360),
        "hour": _number("Hour", 0, 24, "h", 2),
        "utc_offset": _number("Clock vs UTC", -12, 14, "h", 1),
        "north": _number("North", -180, 180, "°", 1, -36000, 36000, change="shorter way"),
        "by_place": _choice("Sun", {False: "By angles", True: "By place"}),
        "sun": _yes("Direct sun"), "date": _text("Date"),
    },
    r.Backdrop: {
        "kind": _choice("Kind", {"environment": "The light set", "colour": "One colour", "gradient": "Gradient", "transparent": "Transparent"}),
        "top": _colour("Top"), "bottom": _colour("Bottom"), "shot": _text("Photograph of", "link"),
    },
    r.Floor: {
        "kind": _choice("Floor", {"none": "None", "plain": "Plain", "cove": "Cove", "shadow": "Shadow"}),
        "material": _text("Material", "link"),
        "height": _number("Height", -200, 200, "mm", 1, -1e8, 1e8),
        "turn": _number("Turn", -180, 180, "°", 0, -36000, 36000),
        "shadow": _number("Strength", 0, 1), "size_mm": _number("Size", 0, 2000, "mm", 0, 0, 1e8, curve=2, tip="Where it has faded; 0 never"),
        "contact": _number("Contact", 0, 1, tip="Darker where things touch the floor"),
        "contact_mm": _number("Within", 1, 200, "mm", 0, 0.01, 1e6, curve=2),
        "reflects": _yes("Mirrors the product"), "roughness": _number("Roughness", 0, 1),
        "gives_back": _yes("Gives its tone back", "The product is lit from below by the photograph's tone there"), "tone": _colour("Tone"),
    },
    r.Lamp: {
        "name": _text("Name"), "kind": _choice("Kind", LAMP_KINDS),
        "position": _vector("Position", decimals=0), "turn": _vector("Turn", "°", 1e6, 0, change="turns"),
        "width": _number("Width", 0, 1000, "mm", 1, most=1e8, curve=2),
        "height": _number("Height", 0, 1000, "mm", 1, most=1e8, curve=2),
        "power": _number("Power", 0, 5000, "", 1, most=1e12, change="stops"),
        "unit": _choice("Unit of power", {"lumen": "lm", "candela": "cd", "nit": "nits", "lux": "lux"}),
        "stops": _number("Brightness", -6, 6, "stops", 2, -60, 60),
        "kelvin": _number("Temperature", 1700, 12000, "K", 0, 1000, 40000),
        "colour": _colour("Filter"),
        "angle": _number("Looks wide", 0, 60, "°", 2, most=179, curve=2),
        "cone": _number("Cone", 1, 170, "°", 1, 0.1, 179.9),
        "softness": _number("Soft edge", 0, 1),
        "profile": _text("Measured", "link"), "on": _yes("On"), "seen": _yes("Seen by the camera"),
        "solo": _yes("Solo"), "locked": _yes("Locked"), "part": _text("Follows", "link"),
        "stays_with": _choice("Stays with", {"scene": "The scene", "camera": "The camera", "part": "The product"}),
        "group": _text("Group"), "lights": _text("Lights", "many"),
    },
    r.Camera: {
        "name": _text("Name"), "position": _vector("Position"), "target": _vector("Target"),
        "roll": _number("Roll", -45, 45, "°", 1, -36000, 36000),
        "focal_length_mm": _number("Focal length", 14, 200, "mm", 1, 1, 10000, change="stops"),
        "sensor_mm": _number("Sensor", 5, 100, "mm", 1, 0.1, 10000),
        "shift_x": _number("Shift right", -0.5, 0.5, "", 3, -5, 5),
        "shift_y": _number("Shift up", -0.5, 0.5, "", 3, -5, 5),
        "f_stop": _number("F-stop", 1, 22, "", 1, 0.1, 1024, change="stops"),
        "shutter": _number("Shutter", 1e-4, 1, "s", 4, 1e-9, 1e6, change="stops"),
        "iso": _number("ISO", 25, 6400, "", 0, 1e-3, 1e9, change="stops"),
        "exposure_stops": _number("Exposure", -6, 6, "stops", 1, -60, 60),
        "focus": _number("Focus", 0, 2000, "mm", 1, 0, 1e9),
        "depth_of_field": _yes("Depth of field"),
        "blades": _whole("Blades", 0, 12, 0, 100, "0 is a round opening"),
        "blade_turn": _number("Blade turn", -180, 180, "°", 1, -36000, 36000),
        "cats_eye": _number("Cat’s eye", 0, 1, "", 2, 0, 4, tip="How much the rim of the lens cuts into blurred highlights near the frame’s edge"),
        "kelvin": _number("White", 2000, 12000, "K", 0, 1000, 40000, curve=1.5, tip="The colour of light that is shown as white"),
        "tint": _number("Tint", -100, 100, "", 1, -1000, 1000, tip="Green light is taken for white above 0, magenta below"),
        "bend": _number("Lens bend", -0.5, 0.5, "", 3, -50, 50, tip="Below 0 a barrel, above 0 a cushion turned outward"),
        "eye_mm": _number("Eye to the right", -100, 100, "mm", 0, -1e4, 1e4, tip="Of a panorama: how far the eye lies beside the middle of the head"),
        "near_mm": _number("Near cut", 0, 3000, "mm", 0, 0, 1e8, curve=2, tip="Nothing nearer to the camera than this is seen; 0 cuts nothing"),
        "keeps_target": _yes("Keeps its target", "When the camera is moved it turns toward the same point"),
        "projection": _choice("Projection", {"perspective": "Perspective", "parallel": "Parallel", "panorama": "Full sphere"}),
        "span_mm": _number("Shows", 10, 2000, "mm", 1, 1e-4, 1e9, curve=2),
        "motion_blur": _yes("Blur what moves"),
        "shutter_angle": _number("Shutter angle", 0, 360, "°", 0, most=36000, tip="Of a frame's time; 0 takes the exposure's shutter time"),
        "looks_at": _text("Looks at", "link"), "look_point": _vector("Point looked at"), "focus_on": _text("Sharp on", "link"),
        "focus_point": _vector("Point in focus"),
        "locked": _yes("Locked"),
    },
    r.Shot: {
        "name": _text("Name"), "camera": _text("Camera", "link"),
        "width": _whole("Width", 1, 8192, 1, 65536), "height": _whole("Height", 1, 8192, 1, 65536),
        "view": _choice("View", {name: name for name in ("Product neutral", "Film", "Plain")}),
        "guides": _choice("Guides", {"none": "None", "thirds": "Thirds", "golden": "Golden", "diagonal": "Diagonals", "centre": "Centre"}),
        "safe": _yes("Safe areas", "Lines a twentieth and a tenth within the frame"), "finish": _text("Finish"),
    },
    r.Photograph: {
        "file": _text("File"), "image": _text("Picture", "link"), "width": _whole("Width", 1, 16384, 1, 65536),
        "height": _whole("Height", 1, 16384, 1, 65536),
        "stops": _number("Brightness", -3, 3, "stops", 1, -20, 20, tip="At 0 the photograph’s colours are shown as they are"),
        "strength": _number("Strength", 0, 1, "", 2, 0, 1, tip="While working; a render always shows it whole"),
        "in_front": _choice("Shows", {False: "Behind all", True: "In front"}),
        "focal_mm": _number("Focal length of the file", 0, 1000, "mm", 1, 0, 10000),
        "sensor_mm": _number("Sensor of the file", 0, 100, "mm", 1, 0, 10000),
        "bend": _number("Lens bend", -0.5, 0.5, "", 3, -50, 50, tip="Of the photograph’s lens, from lines that bow"),
        "straight": _choice("Bent lines", {False: "Bend the render", True: "Straighten the photograph"}),
        "mirrored": _yes("Seen in reflections", "The dome shows the photograph where that lies; off, only the camera sees it"),
        "known": _text("Known line", "link"),
        "known_mm": _number("Known length", 0, 3000, "mm", 0, 0, 1e8, curve=2, tip="Of the chosen line; 0 for none"),
        "known_below": _yes("It lies on the floor", "The known length is on the floor, below what the product stands on"),
        "surface": _text("Top", "many"), "surface_mm": _number("Height of the top", 0, 1500, "mm", 0, 0, 1e7), "origin": _text("Stands at", "many"),
    },
    r.SightLine: {
        "name": _text("Name"), "direction": _choice("Direction", {1: "First", 2: "Second", 3: "Upright"}), "points": _text("Points", "many"),
    },
    r.ShadowStick: {
        "foot": _text("Foot", "many"), "top": _text("Top", "many"), "tip": _text("Tip", "many"), "wall": _text("Wall", "many"),
        "penumbra": _text("Edge", "many"),
    },
    r.GreyPatch: {"box": _text("Patch", "many"), "value": _number("It reflects", 0.02, 1, "", 2, 0.001, 1, curve=2)},
    r.Cutout: {"name": _text("Name"), "points": _text("Outline", "many"),
    },
    r.RenderSettings: {
        "stop": _choice("Stops at", {"noise": "Noise", "samples": "Samples", "time": "Time"}),
        "samples": _whole("Samples", 1, 4096, 1, 1_000_000), "noise_percent": _number("Noise", 0.5, 20, "%", 2, 0.01, 1000),
        "seconds": _number("Time", 1, 3600, "s", 0, 0.1, 1e7), "denoise": _yes("Denoise"), "transparent": _yes("Leave background out"),
        "file_type": _choice(
            "Type", {
                "png": "PNG 8 bit", "png16": "PNG 16 bit", "tif8": "TIFF 8 bit", "tif": "TIFF 16 bit", "tif32": "TIFF float", "jpg": "JPEG",
                "webp": "WebP", "exr": "EXR half", "exr32": "EXR full", "ora": "Layers (OpenRaster)",
            },
        ),
        "quality": _whole("Quality", 50, 100, 1, 100), "dpi": _whole("Pixels an inch", 0, 600, 0, 10000, "0 says nothing of it"),
        "profile": _choice("Colours", {"sRGB": "sRGB", "Display P3": "Display P3", "ACEScg": "ACEScg (light)"}),
        "alpha": _choice("Alpha", {"straight": "Straight", "premultiplied": "Premultiplied"}),
        "exr_parts": _yes("A part for each layer", "Some programs want it so; off, all layers lie in one part"),
        "folder": _text("Folder"),
        "straight_glass": _yes(
            "Straight and clean",
            "Shadows and indirect light go straight through clear glass. Off: bent as in nature, with caustics and more noise.",
        ),
        "bounces": _whole("In all", 0, 64, 0, 1024), "diffuse_bounces": _whole("Matt", 0, 64, 0, 1024),
        "specular_bounces": _whole("Shiny", 0, 64, 0, 1024), "clear_bounces": _whole("Clear", 0, 64, 0, 1024),
        "scatters": _whole("Scatterings", 0, 4096, 0, 1_000_000),
        "clamp_stops": _number(
            "Clamp at", 0, 12, "stops", 1, 0, 60,
            tip="Indirect light brighter than this many stops over white is held there, against fireflies; 0 leaves all light as it is",
        ),
        "seed": _whole("Pattern", 0, 1000, 0, 2_000_000_000), "passes": _text("Passes", "many"),
        "denoise_groups": _yes("Denoise each group"), "occlusion_mm": _number("Occlusion reach", 0, 500, "mm", 1, most=1e8),
        "finished": _yes("Finished", "The shot’s finish is laid on; off, the render as it is"),
        "negative": _yes("Keep the light for Finish", "Beside the picture its light is kept, with the passes that are ticked: Finish works on it"),
    },
    r.Motion: {
        "name": _text("Name"), "kind": _choice("Motion", MOTION_KINDS), "wears": _text("Moves", "many"), "on": _yes("On"),
        "start": _number("Start", 0, 20, "s", 2, -1e6, 1e6), "length": _number("Length", 0.1, 20, "s", 2, 1e-4, 1e6, curve=1.5),
        "before": _choice("Begins", {"even": "Even", "eased": "Eased"}), "after": _choice("Ends", {"even": "Even", "eased": "Eased"}),
        "repeats": _number("Times", 1, 20, "", 1, 0.01, 1e5), "back": _yes("There and back"),
        "hold_before": _yes("Holds before", "Until it begins the thing stands as at its beginning"),
        "hold_after": _yes("Holds after", "When it has ended the thing stays as it is then"),
        "degrees": _number("Degrees", -720, 720, "°", 1, -1e7, 1e7), "axis": _vector("Axis", "", 1e6, 3, nonzero=False),
        "axis_of": _choice("Axis of", {"own": "The part", "world": "The world"}), "centre": _vector("Round"),
        "distance_mm": _number("Distance", -500, 500, "mm", 1, -1e8, 1e8), "from_": _number("From", -6, 6, "", 2, -60, 60),
        "to": _number("To", -6, 6, "", 2, -60, 60), "path": _text("Path", "link"), "leader": _text("Follows", "link"),
        "faces": _yes("Faces along", "Turns with the path; off keeps the way it faces"), "bank": _number("Lies over", 0, 1, "", 2, 0, 3),
        "offset": _vector("Beside", decimals=1), "radius_mm": _number("Wheel radius", 0, 500, "mm", 2, 0, 1e7, curve=2, tip="From the part"),
        "swings": _number("Swings a second", 0.1, 12, "", 2, 0.001, 1000), "damping": _number("Damping", 0, 1, "", 2, 0, 10),
        "dive": _number("Dives", 0, 15, "°", 1, -180, 180, tip="For one gravity of braking"),
        "lean": _number("Leans", 0, 15, "°", 1, -180, 180, tip="For one gravity of bend"),
        "amount_mm": _number("Shakes by", 0, 20, "mm", 2, 0, 1e6, curve=2), "amount_degrees": _number("Turns by", 0, 5, "°", 2, 0, 180, curve=2),
        "seed": _whole("Pattern", 0, 100, 0, 2_000_000_000), "lens_mm": _number("To lens", 14, 200, "mm", 1, 1, 10000),
        "cameras": _text("Cameras", "many"), "pace": _text("Pace", "many"),
        "carries": _choice("Light", {"set": "Stays with the set", "camera": "Goes with the camera", "product": "Goes with the product"}),
    },
    r.Cut: {
        "shot": _text("Shot", "link"), "start": _number("From", 0, 20, "s", 2, -1e6, 1e6),
        "dissolve": _number("Dissolve", 0, 3, "s", 2, 0, 1e4),
    },
    r.Footage: {
        "start": _number("Begins at", 0, 20, "s", 2, -1e6, 1e6), "speed": _number("Speed", 0, 4, "", 2, -100, 100),
        "ends": _choice("Then", {"loop": "Again", "hold": "Held", "back": "To and fro"}),
    },
    r.Marker: {"name": _text("Name"), "time": _number("Time", 0, 20, "s", 2, -1e6, 1e6)},
    r.LaneGroup: {"name": _text("Name"), "lanes": _text("Lanes", "many"), "colour": _colour("Stripe"), "folded": _yes("Folded")},
    r.Film: {
        "start": _number("Begins", 0, 60, "s", 2, -1e5, 1e5), "end": _number("Ends", 0, 60, "s", 2, -1e5, 1e5),
        "play_start": _number("Plays from", 0, 60, "s", 2, -1e5, 1e5), "play_end": _number("Plays to", 0, 60, "s", 2, -1e5, 1e5),
    },
    r.Choice: {"name": _text("Name"), "shot": _text("Shot", "link")},
    r.Finish: {
        "name": _text("Name"), "reference": _text("Reference", "link"), "reference_file": _text("Reference"),
        "view": _choice("Shown as", {"": "As the shot", "Product neutral": "Product neutral", "Film": "Film", "Plain": "Plain"}),
    },
    r.Balance: {
        "stops": _number("Brightness", -6, 6, "stops", 1, -60, 60), "colour": _colour("Colour"), "on": _yes("On"),
    },
    r.Layer: {
        "name": _text("Name"), "source": _text("Light or pass"),
        "kind": _choice("Kind", {
            "render": "Render", "group": "Light group", "pass": "Pass", "shadow": "Shadow", "photograph": "Photograph", "picture": "Picture",
            "text": "Text", "colour": "Colour", "gradient": "Gradient", "grade": "Grade", "stack": "Group",
        }),
        "inside": _text("In group", "link"), "picture": _text("Picture", "link"), "raw": _yes("Before denoising"),
        "across": _number("Across", 0, 1, "", 3, -100, 100), "down": _number("Down", 0, 1, "", 3, -100, 100),
        "width": _number("Width", 0.01, 2, "", 3, 1e-4, 100), "turn": _number("Turn", -180, 180, "°", 1, -36000, 36000, change="shorter way"),
        "soften": _number("Soften", 0, 60, "‰", 1, 0, 1000, curve=2, tip="Thousandths of the picture’s width"),
        "strength": _number("Depth", 0, 2, "", 2, 0, 20, tip="1 is as the light gave it, 0 no shadow"),
        "blend": _choice("Lies", {
            "over": "Over", "add": "Added", "multiply": "Multiplied", "screen": "Screen", "darken": "Darker", "lighten": "Lighter",
            "soft light": "Soft light", "difference": "Difference",
        }),
        "opacity": _number("Opacity", 0, 1), "on": _yes("On"), "colour": _colour("Colour"), "colour_to": _colour("To"),
    },
    r.Mask: {
        "kind": _choice("By", {
            "part": "Part", "group": "Group of parts", "material": "Material", "decal": "Decal", "depth": "Depth", "facing": "Facing",
            "shadow": "Shadow", "luminance": "Luminance", "hue": "Hue", "gradient": "Gradient", "ellipse": "Ellipse", "rectangle": "Rectangle",
            "polygon": "Polygon", "brush": "Brush",
        }),
        "strokes": _text("Strokes", "many"), "follows": _text("Follows"),
        "feather_mm": _number("Feather, mm", 0, 100, "mm", 1, 0, 1e6, curve=2, tip="As far as it reaches on the things themselves"),
        "how": _choice("How", {"add": "Adds", "take": "Takes away", "cross": "Keeps what both have"}),
        "names": _text("Of", "many"), "points": _text("Corners", "many"),
        "low": _number("From", -1e3, 1e4, "", 2, -1e9, 1e9), "high": _number("To", -1e3, 1e4, "", 2, -1e9, 1e9),
        "soft": _number("Fades over", 0, 1e3, "", 2, 0, 1e9),
        "across": _number("Across", 0, 1, "", 3, -100, 100), "down": _number("Down", 0, 1, "", 3, -100, 100),
        "width": _number("Width", 0, 1, "", 3, 0, 100), "height": _number("Height", 0, 1, "", 3, 0, 100),
        "turn": _number("Turn", -180, 180, "°", 1, -36000, 36000, change="shorter way"),
        "feather": _number("Feather", 0, 200, "‰", 1, 0, 10000, curve=2, tip="Thousandths of the picture’s width"), "outside": _yes("All but this"),
    },
    r.HueBand: {
        "hue": _number("Hue", 0, 360, "°", 0, -36000, 36000), "width": _number("Width", 5, 360, "°", 0, 0.1, 360),
        "turn": _number("Turn", -180, 180, "°", 0, -360, 360), "saturation": _number("Saturation", -1, 1, "", 2, -1, 10),
        "lightness": _number("Lightness", -1, 1, "", 2, -1, 10),
    },
    r.Grade: {
        "exposure": _number("Exposure", -4, 4, "stops", 2, -60, 60),
        "kelvin": _number("White", 2000, 12000, "K", 0, 1000, 40000, curve=1.5, tip="The colour of light that becomes white"),
        "tint": _number("Tint", -100, 100, "", 1, -1000, 1000),
        "contrast": _number("Contrast", -0.8, 1, "", 2, -0.99, 10), "pivot": _number("About", 0.01, 1, "", 3, 1e-4, 100, curve=2),
        "highlights": _number("Highlights", -1, 1, "", 2, -4, 4), "shadows": _number("Shadows", -1, 1, "", 2, -4, 4),
        "whites": _number("Whites", -1, 1, "", 2, -4, 4), "blacks": _number("Blacks", -1, 1, "", 2, -4, 4),
        "curve": _text("Curve", "many"), "red": _text("Curve of red", "many"), "green": _text("Curve of green", "many"),
        "blue": _text("Curve of blue", "many"),
        "saturation": _number("Saturation", -1, 1, "", 2, -1, 10),
        "spare": _number("Spares", 0, 1, tip="Keeps what is strong already, or like skin, from more saturation"),
        "hues": _text("Only hues", "many"), "shade": _colour("Tint shadows"), "light": _colour("Tint lights"),
        "local_contrast": _number("Local contrast", -1, 1, "", 2, -4, 10), "detail": _number("Fine detail", -1, 1, "", 2, -4, 10),
        "sharpen": _number("Sharpen", 0, 2, "", 2, 0, 20),
        "sharpen_size": _number("Over", 0.1, 5, "‰", 2, 0.01, 100, tip="Thousandths of the picture’s width"),
        "calm": _number("Noise", 0, 1, tip="How much of it is taken away"),
        "glow": _number("Glow", 0, 1), "glow_from": _number("From", -4, 6, "stops", 1, -20, 20, tip="Over white"),
        "glow_size": _number("Reach", 1, 200, "‰", 0, 0.01, 1000, curve=2),
        "fringe": _number("Colour fringe", -5, 5, "‰", 1, -100, 100), "bend": _number("Bend", -0.5, 0.5, "", 3, -2, 2),
        "vignette": _number("Vignette", -2, 3, "stops", 2, -20, 20), "grain": _number("Grain", 0, 0.5, "", 2, 0, 10),
        "grain_mm": _number("Grains", 0.005, 0.2, "mm", 3, 0.001, 5, tip="On film 36 mm wide"),
        "lut": _text("Table", "link"), "lut_strength": _number("Of the table", 0, 1),
    },
    r.Axis: {"name": _text("Name")},
    r.Refused: {"picks": _text("Combination", "many")},
    r.Moved: {"at_rest": _text("At rest", "many"), "carried": _text("Carried", "many")},
    r.Document: {
        "name": _text("Name"), "frames_per_second": _number("Frames per second", 1, 60, "", 2, 0.01, 10000), "notes": _text("Choices made", "many"),
    },
}  # fmt: skip

def _of_input(one: Input) -> Property:
    """What is known of a node's input: a number, a colour, three numbers, or any of them."""
    kind: Any = {"number": "number", "colour": "colour", "either": "either", "direction": "either"}[one.takes]
    whole = one.decimals == 0 and one.unit == ""
    return Property(
        one.label, kind, one.unit, one.low, one.high, one.least, one.most, one.decimals, one.curve, "step" if whole else "evenly", default=one.default
    )


def _widened(known: Property, other: Property) -> Property:
    """What an input of that name can have in any kind of node."""
    kind = known.kind if known.kind == other.kind else "either"
    return msgspec.structs.replace(known, kind=kind, least=min(known.least, other.least), most=max(known.most, other.most))


# by kind of node and input; and, for addresses, which do not know the kind, by input alone
OF_NODES: dict[str, dict[str, Property]] = {kind.name: {one.name: _of_input(one) for one in kind.inputs} for kind in KINDS.values()}
NODE_INPUTS: dict[str, Property] = {}
for _rows in OF_NODES.values():
    for _key, _known in _rows.items():
        NODE_INPUTS[_key] = _widened(NODE_INPUTS[_key], _known) if _key in NODE_INPUTS else _known


def _with_defaults() -> None:
    """Defaults come from the records themselves."""
    for record, rows in TABLE.items():
        for field in msgspec.structs.fields(record):
            if field.name in rows and field.default is not msgspec.NODEFAULT:
                rows[field.name] = msgspec.structs.replace(rows[field.name], default=field.default)


_with_defaults()
