"""What a surface is made of: parameters, nodes, pictures and how they lie, layers (Surface)."""

from typing import Annotated, Literal

from aulmo.document import property as say
from aulmo.document.record_base import AssetName, Follow, Mark, Record, Triple


class Surface(Record):
    """The parameters of OpenPBR Surface under the specification's own names, with two of ours at the end.

    Lengths in mm but for `thin_film_thickness`, which is in micrometres as the specification has it. `geometry_tangent_turn` turns the
    stretch of highlights, in degrees, away from running round the part's own z axis. Where clear solids overlap, the higher
    `nesting_priority` is what is really there.
    """

    base_color: Annotated[Triple, say.colour("Colour"), say.led("Body")] = (0.8, 0.8, 0.8)
    base_weight: Annotated[float, say.number("Strength", 0, 1), say.led("Body")] = 1.0
    base_metalness: Annotated[float, say.number("Metalness", 0, 1), say.led("Body")] = 0.0
    base_diffuse_roughness: Annotated[float, say.number("Chalkiness", 0, 1), say.led("Body", "alone")] = 0.0

    specular_roughness: Annotated[float, say.number("Roughness", 0, 1), say.led("Shine")] = 0.3
    specular_ior: Annotated[float, say.number("Refraction", 1.0, 2.5, decimals=3, most=5), say.led("Shine")] = 1.5
    specular_roughness_anisotropy: Annotated[float, say.number("Stretch", 0, 1), say.led("Shine")] = 0.0
    geometry_tangent_turn: Annotated[
        float,
        say.number("Stretch turn", -90, 90, "°", 1, -3600, 3600, tip="Away from running round the part's own axis"),
        say.led("Shine", "alone"),
    ] = 0.0
    specular_weight: Annotated[float, say.number("Strength", 0, 1, most=100), say.led("Shine")] = 1.0
    specular_color: Annotated[Triple, say.colour("Edge tint"), say.led("Shine")] = (1.0, 1.0, 1.0)

    transmission_weight: Annotated[float, say.number("Clearness", 0, 1), say.led("Clear")] = 0.0
    transmission_color: Annotated[Triple, say.colour("Tint"), say.led("Clear")] = (1.0, 1.0, 1.0)
    transmission_depth: Annotated[
        float,
        say.number("Tint at", 0, 100, "mm", 1, most=1e6, curve=2, tip="Thickness at which the tint is reached; 0 tints the surface"),
        say.led("Clear", "even"),
    ] = 0.0
    transmission_scatter: Annotated[
        Triple,
        say.colour("Cloudiness", "How much of the light each colour loses to scattering over the depth above"),
        say.led("Clear", "even"),
    ] = (0.0, 0.0, 0.0)
    transmission_scatter_anisotropy: Annotated[
        float,
        say.number("Cloud bias", -1, 1, tip="Below zero scatters back, above zero onward"),
        say.led("Clear", "even"),
    ] = 0.0
    transmission_dispersion_scale: Annotated[
        float,
        say.number("Dispersion", 0, 1, most=100, tip="How strongly colours are bent apart; 0 is off"),
        say.led("Clear", "even"),
    ] = 0.0
    transmission_dispersion_abbe_number: Annotated[float, say.number("Abbe number", 9, 91, "", 1, 1, 500), say.led("Clear", "even")] = 20.0
    nesting_priority: Annotated[
        int,
        say.whole(
            "Priority", -5, 5, -100, 100,
            "Where clear solids overlap, the higher one is what is there: let oil reach into its glass and give the glass more",
        ),
        say.led("Clear", "even"),
    ] = 0
    geometry_thin_walled: Annotated[bool, say.yes("Thin sheet", "A pane without an inside: light passes straight"), say.led("Clear", "even")] = False

    subsurface_weight: Annotated[float, say.number("Amount", 0, 1), say.led("Below the surface")] = 0.0
    subsurface_color: Annotated[Triple, say.colour("Colour"), say.led("Below the surface")] = (0.8, 0.8, 0.8)
    subsurface_radius: Annotated[
        float,
        say.number("Reach", 0, 20, "mm", 2, most=1e5, curve=2, tip="How far light wanders between scatterings"),
        say.led("Below the surface"),
    ] = 1.0
    subsurface_radius_scale: Annotated[Triple, say.colour("By colour"), say.led("Below the surface")] = (1.0, 0.5, 0.25)
    subsurface_scatter_anisotropy: Annotated[float, say.number("Bias", -1, 1), say.led("Below the surface", "even")] = 0.0

    fuzz_weight: Annotated[float, say.number("Amount", 0, 1), say.led("Fuzz", "alone")] = 0.0
    fuzz_color: Annotated[Triple, say.colour("Colour"), say.led("Fuzz", "alone")] = (1.0, 1.0, 1.0)
    fuzz_roughness: Annotated[float, say.number("Roughness", 0, 1), say.led("Fuzz", "alone")] = 0.5

    thin_film_weight: Annotated[float, say.number("Amount", 0, 1), say.led("Thin film", "alone")] = 0.0
    thin_film_thickness: Annotated[float, say.number("Thickness", 0, 1.5, "µm", 3, most=50), say.led("Thin film", "alone")] = 0.5
    thin_film_ior: Annotated[float, say.number("Refraction", 1.0, 2.5, decimals=3, most=5), say.led("Thin film", "even")] = 1.4

    coat_weight: Annotated[float, say.number("Amount", 0, 1), say.led("Clear coat")] = 0.0
    coat_roughness: Annotated[float, say.number("Roughness", 0, 1), say.led("Clear coat")] = 0.0
    coat_roughness_anisotropy: Annotated[float, say.number("Stretch", 0, 1), say.led("Clear coat")] = 0.0
    coat_ior: Annotated[float, say.number("Refraction", 1.0, 2.5, decimals=3, most=5), say.led("Clear coat")] = 1.6
    coat_color: Annotated[Triple, say.colour("Tint"), say.led("Clear coat")] = (1.0, 1.0, 1.0)
    coat_darkening: Annotated[float, say.number("Deepening", 0, 1), say.led("Clear coat")] = 1.0

    emission_luminance: Annotated[
        float,
        say.number("Luminance", 0, 20000, "nits", 0, most=1e9, curve=3, change="stops"),
        say.led("Glow", "alone"),
    ] = 0.0
    emission_color: Annotated[Triple, say.colour("Colour"), say.led("Glow", "alone")] = (1.0, 1.0, 1.0)

    geometry_opacity: Annotated[float, say.number("Opacity", 0, 1), say.led("Cut out", "alone")] = 1.0


class Adjust(Record):
    """How a picture's values are changed before they are used: levels first, then turned over, contrast, and of colours their look.

    `low`, `high` : the values that become 0 and 1, as a display has them; `middle` the power that lifts what lies between. `brightness` is in
    stops, `hue` in degrees, `tint` multiplies.
    """

    brightness: Annotated[float, say.number("Brightness", -3, 3, "stops", 2, -30, 30)] = 0.0
    contrast: Annotated[float, say.number("Contrast", 0, 2, "", 2, 0, 20)] = 1.0
    saturation: Annotated[float, say.number("Saturation", 0, 2, "", 2, 0, 10)] = 1.0
    hue: Annotated[float, say.number("Hue", -180, 180, "°", 0, -36000, 36000)] = 0.0
    tint: Annotated[Triple, say.colour("Tint")] = (1.0, 1.0, 1.0)
    turned_over: Annotated[bool, say.yes("Turned over", "Dark becomes light: a gloss picture as roughness")] = False
    low: Annotated[float, say.number("Black at", 0, 1, "", 2, -100, 100)] = 0.0
    high: Annotated[float, say.number("White at", 0, 1, "", 2, -100, 100)] = 1.0
    middle: Annotated[float, say.number("Middle", 0.2, 5, "", 2, 0.01, 100, curve=2, tip="Above 1 lifts what lies between")] = 1.0


class Lay(Record):
    """How pictures of a material are laid on its parts, shared by all that name it. Lengths in mm of the part's own axes.

    The projector stands at `position`, turned by `turn`; it looks down its own z, which is also the axis of cylinder, ball and "axis" (round an
    axis, by the distance that the surface has from it); `radius_mm` is that of cylinder and ball, 0 for the surface's own. `rotate` turns the
    picture in its plane. `height_mm` counts where `keep_shape` is off. `depth_mm` is how far from its plane a flat one reaches, 0 without
    end. `blend` softens the seams of a box. By "uv" the file's own coordinates lead, `repeat` times, shifted by shares.
    """

    id: str
    name: Annotated[str, say.text("Name")] = "Lay"
    projection: Annotated[
        Literal["box", "flat", "cylinder", "sphere", "axis", "uv"],
        say.choice("Laid", "As a box", "Flat", "As a cylinder", "As a ball", "Round an axis", "As the file has it"),
    ] = "box"
    position: Annotated[Triple, say.vector("Place")] = (0.0, 0.0, 0.0)
    turn: Annotated[Triple, say.vector("Turn", "°", 1e6, 1, change="turns")] = (0.0, 0.0, 0.0)
    width_mm: Annotated[float, say.number("Width", 1.0, 500.0, "mm", 2, least=1e-4, most=1e6, curve=2.0)] = 100.0
    height_mm: Annotated[float, say.number("Height", 1.0, 500.0, "mm", 2, least=1e-4, most=1e6, curve=2.0)] = 100.0
    keep_shape: Annotated[bool, say.yes("Keep its shape")] = True
    rotate: Annotated[float, say.number("Rotate", -180, 180, "°", 1, -36000, 36000)] = 0.0
    offset_x_mm: Annotated[float, say.number("Right by", -100, 100, "mm", 2, -1e6, 1e6)] = 0.0
    offset_y_mm: Annotated[float, say.number("Up by", -100, 100, "mm", 2, -1e6, 1e6)] = 0.0
    gap_x_mm: Annotated[float, say.number("Space across", 0, 100, "mm", 2, 0, 1e6, curve=2)] = 0.0
    gap_y_mm: Annotated[float, say.number("Space down", 0, 100, "mm", 2, 0, 1e6, curve=2)] = 0.0
    tile: Annotated[Literal["both", "across", "down", "none"], say.choice("Repeats", "Both ways", "Across", "Down", "Once")] = "both"
    mirror: Annotated[bool, say.yes("Mirror every second")] = False
    depth_mm: Annotated[
        float,
        say.number("Depth", 0, 200, "mm", 2, 0, 1e6, curve=2, tip="How far a flat picture reaches from its plane; 0 goes right through"),
    ] = 0.0
    blend: Annotated[float, say.number("Soft seams", 0, 1)] = 0.0
    radius_mm: Annotated[
        float,
        say.number("Radius", 0, 500, "mm", 2, 0, 1e6, curve=2, tip="0 takes the distance that the surface has from the axis"),
    ] = 0.0
    repeat_x: Annotated[float, say.number("Times across", 0.1, 20, "", 2, -1e5, 1e5, curve=2)] = 1.0
    repeat_y: Annotated[float, say.number("Times down", 0.1, 20, "", 2, -1e5, 1e5, curve=2)] = 1.0
    shift_x: Annotated[float, say.number("Shift across", -1, 1, "", 3, -1e5, 1e5)] = 0.0
    shift_y: Annotated[float, say.number("Shift down", -1, 1, "", 3, -1e5, 1e5)] = 0.0


class Stop(Record):
    """A colour of a gradient, and where it stands: in mm or as a share of the way, as the gradient has it."""

    at: Annotated[float, say.number("At", 0, 1, "", 3, -1e6, 1e6)] = 0.0
    colour: Annotated[Triple, say.colour("Colour")] = (1.0, 1.0, 1.0)


class Node(Record):
    """One step of a surface program; kinds and their inputs are in `node_table`. Lengths are mm of the part's own axes.

    `inputs` holds numbers, colours, directions, or "@id" of another node; "@id:red" (green, blue, luminance) reads one number of a colour. `choices`
    holds what is one of a few, or a text, by name.

    `image` is an asset and `file` the file it came from; an image without asset is missing, and what it leads stays as it is without.
    `as_colour` says whether its values are colours of a display or plain data, `channel` what of it is read ("solid" is the
    colour without regard to alpha), `lay` how it is laid (its own inputs,
    projection and axis where that is empty). `green_down` is for normal maps whose green points down. `axis` is that of a projection, gradient or
    stripes, along which noise is stretched, or along which the trunk of wood grew. `stops` are those of a gradient.

    `name` is the artist's own, `place` where its card lies on the bench (None: nowhere yet), `group` the card that it is gathered in.
    """

    id: str
    kind: Annotated[str, say.text("Kind")]
    inputs: dict[str, float | Triple | str] = {}
    image: Annotated[AssetName | None, say.reference("Picture")] = None
    file: Annotated[str, say.text("File")] = ""
    as_colour: Annotated[bool, say.yes("Values are colours")] = True
    channel: Annotated[
        Literal["colour", "solid", "red", "green", "blue", "alpha"],
        say.choice("Reads", "Colour", "Colour without alpha", "Red", "Green", "Blue", "Alpha"),
    ] = "colour"
    green_down: Annotated[bool, say.yes("Green points down", "Of a normal map: which way its green leans")] = False
    lay: Annotated[str, say.text("Lay")] = ""
    adjust: Adjust = Adjust()
    projection: Annotated[Literal["flat", "box", "cylinder", "sphere"], say.choice("Laid", "Flat", "As a box", "Round the axis", "As a ball")] = "box"
    axis: Annotated[Literal["x", "y", "z"], say.choice("Axis", "X", "Y", "Z")] = "z"
    choices: Annotated[dict[str, str], say.many("Choices")] = {}
    stops: Annotated[tuple[Stop, ...], say.many("Stops")] = ()
    name: Annotated[str, say.text("Name")] = ""
    place: Annotated[Mark | None, say.many("Place")] = None
    group: Annotated[str, say.text("Card")] = ""


class NodeGroup(Record):
    """Nodes gathered in one card. `inputs` names those of its members' inputs that the card shows, as "node/input"."""

    id: str
    name: Annotated[str, say.text("Name")] = "Group"
    inputs: Annotated[dict[str, str], say.many("Inputs")] = {}
    place: Annotated[Mark | None, say.many("Place")] = None


class SurfaceLayer(Record):
    """A whole surface that lies over the one below where its mask says: 0 shows what is below, 1 the layer. `mask` is "@id" of a node or a number;
    `wires` lead nodes of the material to the layer's own parameters."""

    id: str
    name: Annotated[str, say.text("Name")] = "Layer"
    surface: Surface = Surface()
    wires: dict[str, str] = {}
    mask: Annotated[float | str, say.number("Shows", 0, 1)] = 1.0
    place: Annotated[Mark | None, say.many("Place")] = None


class Material(Record):
    """A named surface, shared by every part that refers to it.

    `wires` lead nodes to parameters of the surface, to `height` (bump, mm), `normal` (a normal map), the same of the coat
    (`coat_height`, `coat_normal`) or `displacement` (mm, built into the mesh with triangles no longer than `displacement_step` mm).
    A wire may read one number of a colour, as "id:red". `pictures` keeps those that came with a file, by what they are for. `layers` lie over
    the surface, the lowest first; `groups` gather nodes in cards. `swatch` is the file of the artist's library that it was taken from, `tags` what
    it is found by there. `made_for` is the choice that it was made for, when the base has no use for it. `follows` says by the address within it
    which of its colours are a colour of the project.
    """

    id: str
    name: Annotated[str, say.text("Name")]
    kind: Annotated[str, say.text("Kind")] = "Plastic"
    surface: Surface = Surface()
    nodes: tuple[Node, ...] = ()
    wires: dict[str, str] = {}
    displacement_step: Annotated[
        float,
        say.number("Cut", 0.05, 5, "mm", 3, 1e-3, 1e5, tip="Longest edge of the triangles that displacement is built of"),
    ] = 1.0
    pictures: dict[str, AssetName] = {}
    lays: tuple[Lay, ...] = ()
    layers: tuple[SurfaceLayer, ...] = ()
    groups: tuple[NodeGroup, ...] = ()
    swatch: Annotated[str, say.text("Of the library")] = ""
    tags: Annotated[tuple[str, ...], say.many("Tags")] = ()
    made_for: Annotated[str, say.text("Made for")] = ""
    follows: tuple[Follow, ...] = ()
