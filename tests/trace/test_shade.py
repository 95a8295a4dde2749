"""The shade of a draft: dark in corners and under things, held while they move, and what a draft becomes when the hand rests."""

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.records import Camera, Document, Environment, Floor, Lamp, Part, Placement, Shot
from aulmo.trace import draft, tracer
from aulmo.trace.camera_rows import camera_rows
from aulmo.trace.options import options_row
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.shade import RAYS, Shades, luminance_toward, openness_of
from aulmo.trace.shape.open_grid import spread
from shapes import box_mesh, one_part, sphere_mesh

EVEN = Environment(kind="colour", colour=(1.0, 1.0, 1.0))
SIZE = (64, 48)


def drawn(document, assets, shaded=True, shadows=0):
    """(h, w) green of a draft, the draft, and what it was drawn with."""
    camera = document.cameras["c"]
    scene = SceneBuilder(assets).build(document)
    options, maps, shades = options_row(scene, document, camera, document.render), draft.maps_of(scene.arrays, 1.0), Shades()
    if shaded:
        shades.take(scene)
    shade = shades.under(maps, scene.arrays.env_turn)
    found = tracer.draw_draft(scene, camera_rows(camera, *SIZE), options, maps, *SIZE, shade=shade, shadows=shadows)
    return found.picture[..., 1].astype(float), found


def on_a_floor(kind="plain"):
    """A ball that lies on a floor under an even sky, seen from above at a slant."""
    document, assets = one_part(sphere_mesh(20))
    document = edits.place_parts(document, {"ball": Placement((0, 0, 20))})
    camera = Camera(id="c", name="c", position=(0.0, -160.0, 160.0), target=(0.0, 0.0, 10.0), focal_length_mm=40.0)
    return replace(document, cameras={"c": camera}, floor=Floor(kind=kind), environment=EVEN, lamps={}), assets


def test_the_floor_is_darker_beside_a_ball_than_far_from_it():
    picture, found = drawn(*on_a_floor())
    plain, _ = drawn(*on_a_floor(), shaded=False)
    floor = found.parts < 0
    below = np.flatnonzero(found.parts[:, 32] == 0).max() + 2
    assert floor[below, 32] and picture[below, 32] < 0.8 * picture[below, 2]
    assert plain[below, 32] == pytest.approx(plain[below, 2], abs=3)


def test_a_floor_that_is_only_a_shadow_catches_the_shade():
    picture, found = drawn(*on_a_floor("shadow"))
    below = np.flatnonzero(found.parts[:, 32] == 0).max() + 2
    assert picture[below, 32] < 0.9 * picture[below, 2]


def inside_out(mesh: Mesh) -> Mesh:
    return Mesh(mesh.vertices, -mesh.normals, np.ascontiguousarray(mesh.triangles[:, ::-1]), mesh.faces)


def test_a_closed_room_is_not_brighter_than_an_open_one():
    lit = {}
    for kind in ("open", "closed"):
        assets = AssetStore()
        room = inside_out(box_mesh(100))
        if kind == "open":  # without its lid
            high = room.vertices[room.triangles][:, :, 2].min(1) > 49.0
            room = Mesh(room.vertices, room.normals, np.ascontiguousarray(room.triangles[~high]), room.faces[:0])
        name = assets.add_mesh(room)
        camera = Camera(id="c", name="c", position=(0.0, -45.0, 0.0), target=(0.0, 0.0, -30.0), focal_length_mm=24.0)
        document = Document(
            parts={"r": Part("r", "Room", mesh=name)}, roots=("r",), cameras={"c": camera}, shots=(Shot("s", "s", camera="c"),), environment=EVEN
        )  # fmt: skip
        lit[kind] = drawn(document, assets)[0].mean()
    assert lit["closed"] < 0.5 * lit["open"]


def test_light_of_the_grid_is_that_of_the_dome_where_nothing_hides_it():
    """Far from a small ball, under a dome that is bright on one side: the same light as under the open sky, whichever way a surface looks."""
    document, assets = one_part(sphere_mesh(1))
    scene = SceneBuilder(assets).build(replace(document, environment=EVEN))
    maps = np.random.default_rng(3).random((draft.LEVELS, draft.SIDE, draft.SIDE, 3)).astype(np.float32)
    opened = openness_of(scene)
    assert opened is not None and opened.seen.shape[1] == RAYS
    shade = opened.lit(maps, np.eye(3))
    corner = shade.grid[0, 0, 0]
    np.testing.assert_allclose(corner[:4], shade.place[5:9], rtol=0.1, atol=0.05 * shade.place[5])
    assert luminance_toward(np.ones_like(maps), spread(7)) == pytest.approx(np.ones(7), rel=1e-4)


def test_a_lamps_shadow_falls_where_it_is_asked_for():
    document, assets = on_a_floor()
    lamp = Lamp(id="l", name="l", kind="sphere", position=(-120.0, 0.0, 120.0), width=10.0, power=3000.0)
    dark = replace(document, environment=replace(EVEN, colour=(0.01, 0.01, 0.01)), lamps={"l": lamp})
    without, found = drawn(dark, assets)
    with_, _ = drawn(dark, assets, shadows=1)
    changed = (without - with_ > 15) & (found.parts < 0)
    assert changed.any() and np.nonzero(changed)[1].mean() > 34  # to the right of the ball, away from the lamp
    assert (with_ <= without + 1).all()


def test_the_shade_is_held_while_parts_move_and_given_up_for_something_newer():
    document, assets = on_a_floor()
    builder, shades = SceneBuilder(assets), Shades()
    first = builder.build(document)
    assert not shades.take(first, lambda: False) and not shades.fits(first)
    assert shades.take(first) and not shades.take(first)
    maps = draft.maps_of(first.arrays, 1.0)
    held = shades.under(maps, first.arrays.env_turn)
    moved = builder.build(edits.place_parts(document, {"ball": Placement((40, 0, 20))}))
    assert not shades.fits(moved) and shades.under(maps, moved.arrays.env_turn) is held


def test_a_draft_at_rest_is_smooth_along_edges_and_otherwise_the_same():
    document, assets = on_a_floor()
    camera, scene = document.cameras["c"], SceneBuilder(assets).build(document)
    options, maps = options_row(scene, document, camera, document.render), draft.maps_of(scene.arrays, 1.0)
    quick = tracer.draw_draft(scene, camera_rows(camera, *SIZE), options, maps, *SIZE)
    twice = camera_rows(camera, 2 * SIZE[0], 2 * SIZE[1])
    resting = tracer.draw_at_rest(scene, twice, options, maps, *SIZE, tracer.NO_SHADE, lambda: True)
    assert resting is not None and resting.shape == quick.picture.shape
    apart = np.abs(resting.astype(int) - quick.picture.astype(int)).max(-1)
    edge = np.abs(np.diff((quick.parts == 0).astype(int), axis=1, prepend=0)) > 0
    assert np.median(apart) <= 2 and apart[edge].max() > 10
    assert tracer.draw_at_rest(scene, twice, options, maps, *SIZE, tracer.NO_SHADE, lambda: False) is None
