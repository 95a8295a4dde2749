"""What is compiled apart: for each unit its name, the file that makes it, what it gives and what it is given. See `unit`.

A caller imports the declaration from here; a change within a unit does not compile its callers, nor the other way round.
"""

from aulmo.trace.compile.borrowed import Borrowed
from aulmo.trace.compile.scene_block import SCENE
from aulmo.trace.compile.unit import Unit

from numba import types

NONE, YES, WHOLE, NUMBER = types.none, types.boolean, types.int64, types.float64
ROW, ROWS = Borrowed(types.float64, 1), Borrowed(types.float64, 2)
RAY, WORDS, WHOLES = Borrowed(types.float32, 1), Borrowed(types.uint32, 1), Borrowed(types.int64, 1)


def numbers(count):
    """So many numbers given back together."""
    return types.UniTuple(NUMBER, count)


# What nodes say at a point of a part: operations from one to before another, lays, pictures, registers, the material's row; point and normal, how
# much the surface faces the viewer, how wide a footprint is in mm
run = Unit("run", "pattern.program_run", NONE, ROWS, WHOLE, WHOLE, ROWS, ROWS, ROWS, ROW, *[NUMBER] * 8)

# What a draft shows of a surface, in the room of a row: registers, that room, the material's row, instance and triangle; point and normal in the
# world, how wide a footprint is in mm
as_drafted = Unit("as_drafted", "pattern.decal_hit", NONE, SCENE, ROWS, ROW, WHOLE, WHOLE, WHOLE, *[NUMBER] * 7)

# A camera's ray of any kind: the camera's row, place in the frame and on the opening; gives origin and direction
camera_ray = Unit("camera_ray", "path.lens", numbers(6), ROW, *[NUMBER] * 4)

# Light of the photograph behind in a direction from its camera: options, direction; gives light and whether it shows that (1 or 0)
photo_light = Unit("photo_light", "path.photo", numbers(4), Borrowed(types.float32, 3), ROW, *[NUMBER] * 3)
