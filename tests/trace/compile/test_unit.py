"""Units: kernels compiled apart and called by their address."""

import subprocess
import sys

import numpy as np
import pytest

from aulmo.trace.compile import unit, units
from aulmo.trace.compile.entry import entry
from aulmo.trace.compile.scene_block import SceneBlock
from aulmo.trace.compile.units import camera_ray
from aulmo.trace.scene import SceneBuilder
from shapes import one_part, sphere_mesh


@entry
def _looked(camera):
    x, y, z, dx, dy, dz = camera_ray(camera, 0.0, 0.0, 0.5, 0.5)
    return x + y + z + dx + dy + dz


ALONE = """
import sys
sys.path[:0] = sys.argv[1:]
import test_unit as t
print(t._looked.as_it_is(t._camera()), t._looked(t._camera()))
"""


def _camera() -> np.ndarray:
    row = np.zeros(25)
    row[:3], row[3], row[7], row[10], row[12:14], row[16:18] = (1.0, 2.0, 3.0), 1.0, 1.0, 1.0, 1.0, (0.0, 1.0)
    row[6:9], row[9:12] = (0.0, 0.0, 1.0), (0.0, 1.0, 0.0)
    return row


def test_a_unit_that_is_not_there_yet_leaves_everything_as_it_is_and_gives_zeros():
    told = subprocess.run(
        [sys.executable, "-c", ALONE, __file__.rsplit("/", 1)[0], *sys.path], capture_output=True, text=True, check=True,
    )  # fmt: skip
    before, after = (float(word) for word in told.stdout.split())
    assert before == 0.0 and after == pytest.approx(1 + 2 + 3 + 1)


def test_every_unit_is_made_where_it_is_declared_and_knows_what_it_calls():
    every = unit.all_units()
    assert len({u.name for u in every}) == len(every) > 20
    assert {units.look_up, units.laid, units.each} <= units.run.needs()
    assert units.advance not in units.run.needs()


def test_a_scene_is_handed_over_as_a_block_that_says_when_an_array_is_of_another_kind():
    document, assets = one_part(sphere_mesh(10))
    arrays = SceneBuilder(assets).build(document).arrays
    block = SceneBlock(arrays)
    assert block.words[0] == arrays.top and block.words[1] == arrays.points.ctypes.data
    with pytest.raises(TypeError, match="points is an array of float64"):
        SceneBlock(arrays._replace(points=arrays.points.astype(float)))
