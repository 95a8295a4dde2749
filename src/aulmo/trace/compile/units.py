"""What is compiled apart: for each unit its name, the file that makes it, what it gives and what it is given. See `unit`.

A caller imports the declaration from here; a change within a unit does not compile its callers, nor the other way round. What the arguments
mean stands where the unit is made.
"""

from aulmo.trace.compile.borrowed import Borrowed
from aulmo.trace.compile.scene_block import SCENE
from aulmo.trace.compile.unit import Unit

from numba import types

NONE, YES, WHOLE, NUMBER = types.none, types.boolean, types.int64, types.float64
ROW, ROWS = Borrowed(types.float64, 1), Borrowed(types.float64, 2)
RAY, WORDS, WHOLES = Borrowed(types.float32, 1), Borrowed(types.uint32, 1), Borrowed(types.int64, 1)
TABLE, PICTURE = Borrowed(types.float32, 2), Borrowed(types.float32, 3)


def numbers(count):
    """So many numbers, given back together or handed over as one."""
    return types.UniTuple(NUMBER, count)


TWO, THREE, FOUR, SIX = numbers(2), numbers(3), numbers(4), numbers(6)
AIM = numbers(9)
PLACE = (NUMBER,) * 6  # a point and a normal, number by number

# the camera and what is behind everything
camera_ray = Unit("camera_ray", "path.lens", SIX, ROW, *[NUMBER] * 4)
photo_light = Unit("photo_light", "path.photo", FOUR, PICTURE, ROW, *[NUMBER] * 3)

# what nodes and pictures say at a place
run = Unit("run", "pattern.program_run", NONE, ROWS, WHOLE, WHOLE, ROWS, ROWS, ROWS, ROW, *PLACE, NUMBER, NUMBER)
run_heights = Unit("run_heights", "pattern.program_run", NONE, ROWS, WHOLE, WHOLE, ROWS, ROWS, ROWS, ROWS, *[NUMBER] * 4, WHOLE)
image = Unit("image", "pattern.program_run", FOUR, ROW, ROWS, ROWS, ROWS, *PLACE, NUMBER)
laid = Unit("laid", "pattern.laid", numbers(9), ROW, ROWS, *PLACE, NUMBER, WHOLE)
look_up = Unit("look_up", "pattern.lookup", FOUR, ROW, NUMBER, NUMBER, NUMBER, YES)
more = Unit("more", "pattern.node_run", THREE, ROWS, WHOLE, ROWS, ROWS, ROWS, *PLACE, NUMBER)
each = Unit("each", "pattern.nodes.sums", NUMBER, WHOLE, *[NUMBER] * 7)
colour_node = Unit("colour_node", "pattern.nodes.colours", THREE, WHOLE, ROW, ROWS)
place_node = Unit("place_node", "pattern.nodes.places", FOUR, WHOLE, ROW, ROWS, ROWS, *PLACE, NUMBER)
relief_node = Unit("relief_node", "pattern.nodes.relief", THREE, WHOLE, ROW, ROWS, ROWS, *PLACE, NUMBER)
standard_noise = Unit("standard_noise", "pattern.nodes.noises", NUMBER, WHOLE, ROW, ROWS)
own_pattern = Unit("own_pattern", "pattern.nodes.own", NUMBER, WHOLE, ROW, ROWS, ROWS, ROWS, *PLACE, NUMBER)

# what a part wears at a place
as_drafted = Unit("as_drafted", "pattern.decal_hit", NONE, SCENE, ROWS, ROW, WHOLE, WHOLE, WHOLE, *PLACE, NUMBER)
run_program = Unit("run_program", "pattern.relief", THREE, SCENE, ROWS, ROW, WHOLE, WHOLE, WHOLE, NUMBER, NUMBER, *PLACE, NUMBER)
met_layer = Unit(
    "met_layer", "pattern.relief", types.Tuple((WHOLE, NUMBER)), SCENE, ROWS, ROW, WHOLE, WHOLE, WHOLE, NUMBER, NUMBER, *PLACE, NUMBER, NUMBER
)  # fmt: skip
printed = Unit(
    "printed", "pattern.decal_hit", types.Tuple((WHOLE, *[NUMBER] * 4)), SCENE, ROWS, ROW, WHOLE, WHOLE, WHOLE, WHOLE, NUMBER, NUMBER, *PLACE,
    NUMBER, NUMBER,
)  # fmt: skip
share_covered_in_world = Unit("share_covered_in_world", "pattern.decal_hit", NUMBER, SCENE, ROWS, WHOLE, WHOLE, NUMBER, *PLACE)

# what a ray meets, and what stands in its way
visibility = Unit(
    "visibility", "shape.visibility", THREE, SCENE, ROW, RAY, WORDS, NUMBER, *PLACE, NUMBER, WHOLES, WHOLE, TABLE, WHOLES, ROW, ROWS
)  # fmt: skip

# light
sample_lamps = Unit(
    "sample_lamps", "lamp.dome", types.Tuple((*[NUMBER] * 9, WHOLE, NUMBER, NUMBER)), SCENE, ROW, *[NUMBER] * 3, AIM, *[NUMBER] * 4
)  # fmt: skip
sample_dome = Unit("sample_dome", "lamp.dome", SIX, SCENE, ROW, *[NUMBER] * 6)
hit_density = Unit("hit_density", "lamp.dome", NUMBER, SCENE, ROW, WHOLE, *[NUMBER] * 3, AIM, *[NUMBER] * 5)
dome_density = Unit("dome_density", "lamp.dome", NUMBER, SCENE, ROW, *[NUMBER] * 8)
glow_led_by_nodes = Unit("glow_led_by_nodes", "lamp.light_sample", THREE, SCENE, ROW, ROWS, ROW, *[NUMBER] * 6)

# a path's way
advance = Unit(
    "advance", "path.vertex", NONE, SCENE, ROW, RAY, WORDS, ROW, WHOLES, WHOLES, WHOLES, ROW, ROW, Borrowed(types.float32, 3), YES, WHOLE, ROW, ROW,
    ROWS,
)  # fmt: skip
left_scene = Unit("left_scene", "path.gather", NONE, SCENE, ROW, ROW, WHOLES, ROW)
note_first = Unit(
    "note_first", "path.gather", NONE, SCENE, ROW, RAY, WORDS, ROW, WHOLES, ROW, Borrowed(types.float32, 3), YES, WHOLE, types.uint64, WHOLE, WHOLE,
    *PLACE, NUMBER, ROW,
)  # fmt: skip
mirrors = Unit("mirrors", "path.catcher", YES, SCENE, RAY, WORDS, ROW, WHOLES, ROW, WHOLE, *PLACE, *[NUMBER] * 4)
let_through = Unit(
    "let_through", "path.catcher", NONE, SCENE, ROW, ROW, WHOLES, ROW, Borrowed(types.float32, 3), YES, types.float32, types.float32, *PLACE,
    *[NUMBER] * 3,
)  # fmt: skip
polished = Unit(
    "polished", "path.polished", NONE, SCENE, ROW, ROW, WHOLES, WHOLES, WHOLE, types.uint64, ROW, WHOLE, YES, NUMBER, *[NUMBER] * 11
)  # fmt: skip

# what a draft knows of the shade
closed_toward = Unit("closed_toward", "shape.open_grid", TWO, Borrowed(types.float32, 4), ROW, *[NUMBER] * 9)
