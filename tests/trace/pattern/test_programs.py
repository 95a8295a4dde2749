"""Surface programs: nodes, pictures filtered by footprint, bump, normal maps, displacement."""

import math

import numpy as np
import pytest
from hypothesis import given, settings, strategies as st
from msgspec.structs import replace

from aulmo.document import edits, project_file
from aulmo.document.node_table import KINDS
from aulmo.document.records import Camera, Key, Material, Node, Placement, Surface
from aulmo.errors import BadFile, BadValue
from aulmo.surface.compiling import compile_program, compile_value
from aulmo.surface.picture import make_texture
from aulmo.surface.program import blind_from
from aulmo.trace.pattern.lookup import look_up
from aulmo.trace.pattern.patterns import gradient_noise, nearest_cell
from aulmo.trace.pattern.program_run import run_heights, run_points
from aulmo.trace.pattern.programs import ProgramBook, subdivided
from aulmo.trace.scene import SceneBuilder
from dressing import MATT, dressed
from shapes import box_mesh, sphere_mesh
from tracing import NITS, Dark, HalfDome, UniformDome, agree, look_down, measured, plane, trace

NOTHING_KNOWN = np.zeros((0, 4))
# kinds whose heights run four points at a time
SOONER = {
    "constant", "image", "noise", "cells", "checker", "stripes", "dots", "ramp", "mix", "add", "multiply", "range", "invert", "facingratio",
    "position", "wood", "weave",
}  # fmt: skip


def values(nodes, points, normals=None, wide=1e-6, assets=None) -> np.ndarray:
    """(n, 3) of the last node at points."""
    document, store = dressed(plane(), nodes=nodes, wires={"height": nodes[-1].id})
    book = ProgramBook(assets or store)
    ops = compile_value(document.materials["m"], nodes[-1].id, book, "")
    lays, pictures, _held = book.tables()
    points = np.asarray(points, float)
    out = np.zeros((len(points), 3))
    normals = np.tile([0.0, 0.0, 1.0], (len(points), 1)) if normals is None else normals
    run_points(ops, lays, pictures, points, normals, np.zeros((0, 2)), wide, NOTHING_KNOWN, out)
    return out


# nodes


GREY = {"first": (0.1, 0.1, 0.1), "second": (0.8, 0.8, 0.8)}
EVERY_KIND = {
    "constant": [Node("n", "constant", {"value": 0.3})],
    "image": [Node("n", "image", {"width_mm": 30.0}, as_colour=False)],
    "noise": [Node("n", "noise", {"size_mm": 7.0, "octaves": 5.0, "gain": 0.6, "seed": 3.0})],
    "cells": [Node("n", "cells", {"size_mm": 9.0, "jitter": 0.7})],
    "checker": [Node("n", "checker", {"size_mm": 6.0, **GREY})],
    "stripes": [Node("n", "stripes", {"size_mm": 8.0, "share": 0.3, **GREY}, axis="y")],
    "dots": [Node("n", "dots", {"size_mm": 8.0, "share": 0.6, **GREY}, axis="x")],
    "ramp": [Node("n", "ramp", {"from_mm": -20.0, "to_mm": 25.0, **GREY}, axis="z")],
    "mix": [Node("m", "noise", {"size_mm": 5.0}), Node("n", "mix", {"bg": GREY["first"], "fg": GREY["second"], "mix": "@m"})],
    "add": [Node("m", "noise", {"size_mm": 5.0}), Node("n", "add", {"in1": "@m", "in2": 0.25})],
    "multiply": [Node("m", "cells", {"size_mm": 5.0}), Node("n", "multiply", {"in1": "@m", "in2": "@m"})],
    "range": [Node("m", "noise", {"size_mm": 5.0}), Node("n", "range", {"in": "@m", "inlow": 0.4, "inhigh": 0.6, "outhigh": 3.0})],
    "invert": [Node("m", "noise", {"size_mm": 5.0}), Node("n", "invert", {"in": "@m"})],
    "facingratio": [Node("n", "facingratio", {"power": 2.0})],
    "position": [Node("n", "position", {})],
    "wood": [Node("n", "wood", {"ring_mm": 3.0, "board_mm": 20.0, "board_turn": 30.0, **GREY}, axis="y")],
    "weave": [Node("n", "weave", {"size_mm": 9.0, "over": 2.0})],
}


@pytest.mark.parametrize("kind", EVERY_KIND)
@pytest.mark.parametrize("wide", [1e-6, 4.0])
def test_relief_is_felt_with_the_numbers_a_program_gives_point_by_point(kind, wide):
    """Four heights at once against one run for each point, for every kind of node."""
    from aulmo.surface.program import REGISTER_ROWS

    assert set(EVERY_KIND) == SOONER
    nodes = EVERY_KIND[kind]
    document, store = dressed(
        plane(), nodes=nodes, wires={"height": "n"}, image=np.random.default_rng(3).random((16, 16, 3)) if kind == "image" else None
    )  # fmt: skip
    book = ProgramBook(store)
    program = compile_program(document.materials["m"], book)
    lays, pictures, _held = book.tables()
    points = np.random.default_rng(5).uniform(-30, 30, (8, 3))
    up = np.tile([0.0, 0.0, 1.0], (8, 1))
    alone = np.zeros((8, 3))
    run_points(program.height, lays, pictures, points, up, np.zeros((0, 2)), wide, NOTHING_KNOWN, alone)
    together = []
    for part in (points[:4], points[4:]):
        four = np.zeros((REGISTER_ROWS, 4))
        run_heights(program.height, 0, len(program.height), lays, pictures, four, np.ascontiguousarray(part.T), 0.0, 0.0, 1.0, wide, 4)
        together += list(four[0])
    np.testing.assert_allclose(together, alone[:, 0], atol=1e-9)
    if kind not in ("constant", "facingratio"):
        assert np.ptp(together) > 1e-3


def test_constants_add_multiply_mix_invert_and_remap():
    one, two = Node("a", "constant", {"value": (0.2, 0.4, 0.6)}), Node("b", "constant", {"value": 0.5})
    p = [[0, 0, 0]]
    np.testing.assert_allclose(values([one, two, Node("c", "add", {"in1": "@a", "in2": "@b"})], p), [[0.7, 0.9, 1.1]])
    np.testing.assert_allclose(values([one, two, Node("c", "multiply", {"in1": "@a", "in2": "@b"})], p), [[0.1, 0.2, 0.3]])
    np.testing.assert_allclose(values([one, Node("c", "mix", {"bg": "@a", "fg": 1.0, "mix": 0.25})], p), [[0.4, 0.55, 0.7]])
    np.testing.assert_allclose(values([one, Node("c", "invert", {"in": "@a"})], p), [[0.8, 0.6, 0.4]])
    mapped = values([one, Node("c", "range", {"in": "@a", "inlow": 0.2, "inhigh": 0.6, "outlow": 10.0, "outhigh": 20.0})], p)
    np.testing.assert_allclose(mapped, [[10, 15, 20]])


def test_patterns_stand_in_millimetres():
    stripes = values([Node("s", "stripes", {"size_mm": 4.0, "share": 0.5}, axis="x")], [[1, 0, 0], [3, 0, 0], [5, 0, 0]])[:, 0]
    np.testing.assert_allclose(stripes, [1, 0, 1], atol=1e-5)
    checker = values([Node("s", "checker", {"size_mm": 2.0, "first": 0.0, "second": 1.0})], [[1, 1, 1], [3, 1, 1], [3, 3, 1]])[:, 0]
    assert checker[0] == pytest.approx(1 - checker[1], abs=1e-5) and checker[0] == pytest.approx(checker[2], abs=1e-5)
    ramp = values([Node("s", "ramp", {"from_mm": 10.0, "to_mm": 20.0}, axis="z")], [[0, 0, 5], [0, 0, 15], [0, 0, 40]])[:, 0]
    np.testing.assert_allclose(ramp, [0, 0.5, 1])
    dots = values([Node("s", "dots", {"size_mm": 10.0, "share": 0.5})], [[5, 5, 0], [5, 9.9, 0], [5, 7.4, 0]])[:, 0]
    np.testing.assert_allclose(dots, [1, 0, 1], atol=1e-5)
    np.testing.assert_allclose(values([Node("s", "position")], [[1, 2, 3]]), [[1, 2, 3]])


@pytest.mark.parametrize("kind", ["stripes", "checker"])
def test_patterns_finer_than_the_footprint_become_their_mean(kind):
    rng = np.random.default_rng(0)
    found = values([Node("s", kind, {"size_mm": 0.05, "first": 0.0, "second": 1.0})], rng.uniform(-50, 50, (400, 3)), wide=4.0)[:, 0]
    assert found.mean() == pytest.approx(0.5, abs=0.02) and found.std() < 0.02


def test_noise_is_continuous_and_stays_within_its_range():
    x = np.linspace(0, 30, 3001)
    points = np.stack([x, 0.37 * x, 5 + 0 * x], 1)
    found = values([Node("n", "noise", {"size_mm": 5.0, "octaves": 5.0})], points)[:, 0]
    assert 0 <= found.min() < 0.35 and 0.65 < found.max() <= 1
    assert np.abs(np.diff(found)).max() < 0.05
    other = values([Node("n", "noise", {"size_mm": 5.0, "octaves": 5.0, "seed": 9.0})], points)[:, 0]
    assert abs(np.corrcoef(found, other)[0, 1]) < 0.35


def reach(found: np.ndarray) -> float:
    """Steps after which a row of values has forgotten half of itself."""
    v = found - found.mean()
    kept = [float((v[k:] * v[: len(v) - k]).mean() / (v * v).mean()) for k in range(1, len(v) // 4)]
    return next((k for k, c in enumerate(kept, 1) if c < 0.5), len(kept))


@pytest.mark.parametrize("axis", [0, 1, 2])
def test_stretched_noise_is_long_along_its_axis_and_as_before_across(axis):
    steps = np.arange(0, 400, 0.25)
    noise = Node("n", "noise", {"size_mm": 4.0, "octaves": 1.0, "stretch": 6.0}, axis="xyz"[axis])
    lengths = []
    for k in range(3):
        points = np.full((len(steps), 3), 0.37)
        points[:, k] += steps
        points[:, (k + 1) % 3] += 0.31 * 4 * (6 if (k + 1) % 3 == axis else 1)
        lengths.append(reach(values([noise], points)[:, 0]))
    along, across = lengths[axis], [lengths[k] for k in range(3) if k != axis]
    assert along > 3.5 * max(across)
    assert max(across) < 1.6 * min(across)


def test_folded_noise_has_veins_where_it_crosses_its_middle():
    x = np.linspace(0, 200, 4001)
    points = np.stack([x, 0.37 * x, 5 + 0 * x], 1)
    before = values([Node("n", "noise", {"size_mm": 20.0})], points)[:, 0]
    veins = values([Node("n", "noise", {"size_mm": 20.0, "fold": 1.0})], points)[:, 0]
    np.testing.assert_allclose(veins, np.abs(2 * before - 1), atol=1e-9)


BARE_WOOD = {"waver": 0.0, "fibre": 0.0, "pith_mm": 0.0, "first": 0.0, "second": 1.0}


@pytest.mark.parametrize("axis", ["x", "y", "z"])
def test_wood_has_a_ring_for_each_ring_width_from_the_pith(axis):
    radius = np.linspace(0.01, 60.0, 6000)
    points = np.zeros((len(radius), 3))
    k = "xyz".index(axis)
    points[:, (k + 1) % 3], points[:, (k + 2) % 3] = 0.6 * radius, 0.8 * radius
    found = values([Node("w", "wood", {**BARE_WOOD, "ring_mm": 3.0}, axis=axis)], points)[:, 0]
    ends = np.nonzero(np.diff(found) < -0.01)[0]  # late wood ends sharply
    starts = ends[np.insert(np.diff(ends) > 5, 0, True)]
    assert len(starts) == 20
    np.testing.assert_allclose(np.diff(radius[starts]), 3.0, atol=0.15)
    # along the trunk a straight one hardly changes: it tapers by a hundredth
    points[:] = 0.0
    points[:, (k + 1) % 3], points[:, k] = 7.3, np.linspace(0, 10, len(radius))
    assert np.ptp(values([Node("w", "wood", {**BARE_WOOD, "ring_mm": 3.0}, axis=axis)], points)[:, 0]) < 0.1


def test_every_board_is_sawn_from_another_place():
    """The same line across neighbouring boards shows other rings; within a board it is one piece of wood."""
    wood = Node("w", "wood", {"ring_mm": 5.0, "board_mm": 100.0, "pith_mm": 60.0, "first": 0.0, "second": 1.0}, axis="x")
    y = np.linspace(0.5, 99.5, 400)
    boards = [values([wood], np.stack([0 * y, y + 100.0 * n, 0 * y], 1))[:, 0] for n in range(4)]
    for one in range(4):
        for other in range(one):
            assert abs(np.corrcoef(boards[one], boards[other])[0, 1]) < 0.5
    again = values([wood], np.stack([0 * y + 0.5, y, 0 * y], 1))[:, 0]
    assert np.corrcoef(boards[0], again)[0, 1] > 0.9


@pytest.mark.parametrize("kind, fine", [("wood", {"ring_mm": 0.4, "first": 0.0, "second": 1.0}), ("weave", {"size_mm": 0.3, "uneven": 0.0})])
def test_wood_and_cloth_finer_than_the_footprint_become_their_mean(kind, fine):
    node = Node("n", kind, fine)
    points = np.random.default_rng(2).uniform(-40, 40, (4000, 3))
    fine, wide = values([node], points)[:, 0], values([node], points, wide=9.0)[:, 0]
    assert fine.std() > 0.1 and wide.std() < 0.01
    assert wide.mean() == pytest.approx(fine.mean(), abs=0.03)


@pytest.mark.parametrize("over", [1, 2, 3])
def test_cloth_goes_over_and_under_in_turn(over):
    """It repeats after twice as many yarns as it goes over, and steps aside by one yarn from row to row."""
    cloth = Node("n", "weave", {"size_mm": 2.0, "over": float(over), "uneven": 0.0}, projection="flat")
    points = np.random.default_rng(4).uniform(0, 40, (500, 3))
    here = values([cloth], points)[:, 0]
    assert np.ptp(here) > 0.75
    step = 2.0 * 2 * over
    np.testing.assert_allclose(values([cloth], points + [step, 0, 0])[:, 0], here, atol=1e-9)
    np.testing.assert_allclose(values([cloth], points + [0, step, 0])[:, 0], here, atol=1e-9)
    np.testing.assert_allclose(values([cloth], points + [2.0, 2.0, 0])[:, 0], here, atol=1e-9)  # down is -y
    assert np.abs(values([cloth], points + [2.0, 0, 0])[:, 0] - here).max() > 0.03


def test_noise_is_nothing_at_lattice_points_and_the_same_each_time():
    assert gradient_noise(3.0, -7.0, 12.0, 1) == 0.0
    assert gradient_noise(0.3, 0.7, 0.2, 1) == gradient_noise(0.3, 0.7, 0.2, 1) != 0.0


def test_without_jitter_cells_lie_on_a_grid():
    assert nearest_cell(2.5, 3.5, -1.5, 0.0, 0) == 0.0
    assert nearest_cell(2.0, 3.5, -1.5, 0.0, 0) == pytest.approx(0.5)


def test_nodes_that_do_not_hang_together_are_a_sentence():
    def compiled(*nodes, **wires):
        document, assets = dressed(plane(), nodes=nodes, wires=wires or {"base_color": nodes[0].id})
        SceneBuilder(assets).build(document)

    with pytest.raises(BadValue, match="run in a circle"):
        compiled(Node("a", "invert", {"in": "@b"}), Node("b", "invert", {"in": "@a"}))
    with pytest.raises(BadValue, match="no node named x"):
        compiled(Node("a", "invert", {"in": "@x"}))
    with pytest.raises(BadValue, match="no input named tallness"):
        compiled(Node("a", "noise", {"tallness": 3.0}))
    with pytest.raises(BadValue, match="has to be above zero"):
        compiled(Node("a", "noise", {"size_mm": 0.0}))
    compiled(Node("a", "image"))  # not chosen yet: what it leads stays as it is
    with pytest.raises(BadValue, match="cannot be led"):
        compiled(Node("a", "constant"), loudness="a")


def test_a_damaged_picture_is_a_sentence():
    document, assets = dressed(plane(), nodes=[Node("a", "image")], wires={"base_color": "a"}, image=np.ones((4, 4, 3)))
    node = replace(document.materials["m"].nodes[0], image=assets.add(b"not a picture", ".png"))
    document = edits.put_material(document, replace(document.materials["m"], nodes=(node,)))
    with pytest.raises(BadFile, match="cannot be read as a picture"):
        SceneBuilder(assets).build(document)


@given(st.sampled_from(sorted(KINDS)), st.floats(-1e3, 1e3), st.floats(-1e3, 1e3))
@settings(max_examples=60, deadline=None)
def test_no_node_ever_gives_something_that_is_not_a_number(kind, x, size):
    if kind in ("image", "tiledimage"):
        return
    inputs: dict = {one.name: abs(size) + 1e-3 for one in KINDS[kind].inputs if one.name.endswith("_mm")}
    inputs |= {one.name: (x, -size, 0.0) if one.takes != "number" else size for one in KINDS[kind].inputs if one.led}
    found = values([Node("n", kind, inputs)], [[x, 2 * x, -x]])
    assert np.isfinite(found).all()


def test_programs_are_saved_with_their_pictures(tmp_path):
    node = Node("a", "image", {"width_mm": 40.0}, projection="cylinder")
    document, assets = dressed(sphere_mesh(), nodes=[node], wires={"base_color": "a"}, image=np.ones((4, 8, 3)))
    project_file.save(document, assets, tmp_path / "a.aulmo")
    again, store = project_file.load(tmp_path / "a.aulmo")
    assert again.materials["m"] == document.materials["m"]
    assert store.get(again.materials["m"].nodes[0].image)[:4] == b"\x89PNG"


# pictures


def test_a_pictures_smaller_copies_keep_its_mean():
    rng = np.random.default_rng(2)
    texture = make_texture(rng.random((64, 32, 3)), False)
    assert [(w, h) for w, h, _ in texture.levels[:2]] == [(32, 64), (16, 32)] and texture.levels[-1][:2] == (1, 1)
    texels = texture.codes.reshape(-1, 3)
    whole = texels[: 64 * 32].mean(0)
    for w, h, first in texture.levels:
        np.testing.assert_allclose(texels[first : first + w * h].mean(0), whole, rtol=2e-3)


def test_a_wide_footprint_sees_the_mean_and_a_narrow_one_the_texel():
    image = np.zeros((16, 16, 3))
    image[:, ::2] = 1.0
    document, assets = dressed(plane(), nodes=[Node("a", "image", as_colour=False)], wires={"base_color": "a"}, image=image)
    arrays = SceneBuilder(assets).build(document).arrays
    assert look_up(arrays.pictures[0], 0.5 / 16, 0.5, 1e-6, True)[0] == pytest.approx(1.0, abs=1e-4)
    assert look_up(arrays.pictures[0], 1.5 / 16, 0.5, 1e-6, True)[0] == pytest.approx(0.0, abs=1e-4)
    assert look_up(arrays.pictures[0], 0.5 / 16, 0.5, 1.0, True)[0] == pytest.approx(0.5, abs=2.1e-3)  # a code of eight bits


def quarters() -> np.ndarray:
    """Red, green over blue, white."""
    image = np.zeros((8, 8, 3))
    image[:4, :4], image[:4, 4:], image[4:, :4], image[4:, 4:] = (1, 0, 0), (0, 1, 0), (0, 0, 1), (1, 1, 1)
    return image


def test_a_flat_picture_lies_the_right_way_up_at_its_size():
    document, assets = dressed(
        plane(400.0), nodes=[Node("a", "image", {"width_mm": 100.0}, projection="flat")], wires={"base_color": "a"}, image=quarters()
    )
    document = replace(document, cameras={"c": replace(look_down(500.0), projection="parallel", span_mm=100.0)})
    frame, _ = trace(document, assets, (40, 40), 16, UniformDome)
    # a camera that looks straight down sees +x right and +y up; sRGB primaries are not pure in ACEScg, so the largest tells
    left_top, right_top, left_low = frame.rgb[10, 10], frame.rgb[10, 30], frame.rgb[30, 10]
    assert np.argmax(left_top) == 0 and np.argmax(right_top) == 1 and np.argmax(left_low) == 2
    np.testing.assert_allclose(frame.rgb[30, 30], NITS * np.ones(3), rtol=0.03)


def test_what_a_part_wears_moves_with_it():
    node = Node("a", "image", {"width_mm": 60.0}, projection="flat", axis="y")
    document, assets = dressed(box_mesh(60.0), nodes=[node], wires={"base_color": "a"}, image=quarters())
    still, _ = trace(document, assets, (32, 32), 32, UniformDome)
    keys = {"parts/ball/placement/position": (Key(0.0, (100.0, 0.0, 0.0)), Key(1.0, (100.0, 0.0, 0.0)))}
    eye = document.cameras["c"]
    moved = replace(document, keys=keys, cameras={"c": replace(eye, position=(100.0, -200.0, 0.0), target=(100.0, 0.0, 0.0))})
    there, _ = trace(moved, assets, (32, 32), 32, UniformDome)
    np.testing.assert_allclose(still.rgb, there.rgb, atol=0.03 * NITS)


def test_a_far_picture_does_not_shimmer():
    """Fine stripes seen from far off: every pixel is the mean, with few samples."""
    image = np.zeros((256, 256, 3))
    image[:, ::2] = 1.0
    node = Node("a", "image", {"width_mm": 20.0}, projection="flat", as_colour=False)
    document, assets = dressed(plane(4000.0), nodes=[node], wires={"base_color": "a"}, image=image)
    document = replace(document, cameras={"c": look_down(9000.0)})
    frame, _ = trace(document, assets, (24, 24), 4, UniformDome)
    plain, assets = dressed(plane(4000.0), replace(MATT, base_color=(0.5, 0.5, 0.5)))
    grey, _ = trace(replace(plain, cameras={"c": look_down(9000.0)}), assets, (24, 24), 4, UniformDome)
    # no more uneven than the noise of its light
    assert frame.rgb[4:-4, 4:-4, 1].std() < 1.05 * grey.rgb[4:-4, 4:-4, 1].std()
    assert frame.rgb[..., 1].mean() == pytest.approx(grey.rgb[..., 1].mean(), rel=0.01)


def test_roughness_by_picture_keeps_the_energy():
    """A white metal of every roughness at once cannot be seen in a white furnace."""
    ramp = Node("r", "ramp", {"from_mm": -20.0, "to_mm": 20.0, "first": 0.05, "second": 1.0}, axis="x")
    white = Surface(base_color=(1, 1, 1), base_metalness=1.0)
    document, assets = dressed(sphere_mesh(20.0, 48), white, nodes=[ramp], wires={"specular_roughness": "r"})
    frame, _ = trace(document, assets, (32, 24), 256, UniformDome)
    np.testing.assert_allclose(frame.rgb[8:16, 12:20, 1], NITS, rtol=0.06)


def test_wires_reach_metalness_opacity_and_glow():
    half = [Node("h", "ramp", {"from_mm": -0.01, "to_mm": 0.01}, axis="x")]
    eye = replace(look_down(300.0), projection="parallel", span_mm=80.0)
    document, assets = dressed(plane(100.0), Surface(base_color=(1, 0, 0), specular_roughness=0.1), nodes=half, wires={"base_metalness": "h"})
    arrays = SceneBuilder(assets).build(document).arrays
    assert arrays.programs[1, 1] > arrays.programs[1, 0]
    document, assets = dressed(plane(100.0), nodes=half, wires={"geometry_opacity": "h"})
    document = replace(document, cameras={"c": eye})
    frame, _ = trace(document, assets, (20, 20), 16, UniformDome, transparent=True)
    assert frame.alpha[10, 3] == 0.0 and frame.alpha[10, 16] == 1.0
    document, assets = dressed(
        plane(100.0), Surface(base_weight=0.0, specular_weight=0.0, emission_luminance=100.0), nodes=half, wires={"emission_color": "h"}
    )
    frame, _ = trace(replace(document, cameras={"c": eye}), assets, (20, 20), 16, Dark)
    assert frame.rgb[10, 3, 1] == pytest.approx(0.0, abs=1e-6) and frame.rgb[10, 16, 1] == pytest.approx(100.0, rel=0.01)


GLOWS = {
    "half clear": ((), {}, 0.4),
    "striped": ([Node("s", "stripes", {"size_mm": 9.0, "share": 0.4, "first": 0.1, "second": 1.0}, axis="x")], {"emission_color": "s"}, 1.0),
    "soft edged": ([Node("s", "facingratio", {"power": 2.0})], {"geometry_opacity": "s"}, 1.0),
}  # fmt: skip


@pytest.mark.parametrize("name", GLOWS)
def test_a_glow_led_by_nodes_lights_as_it_would_by_luck(name):
    """Aimed at as a light, what nodes lead gives the floor what paths that run into it by chance bring."""
    nodes, wires, opacity = GLOWS[name]
    glow = Surface(base_weight=0.0, specular_weight=0.0, emission_luminance=2000.0, geometry_opacity=opacity)
    document, assets = dressed(sphere_mesh(14.0, 48), glow, nodes=nodes, wires=wires)
    document = edits.place_parts(document, {"ball": Placement((0.0, 0.0, 24.0))})
    document = replace(document, floor=replace(document.floor, kind="plain"), cameras={"c": replace(look_down(300.0), position=(0.0, -200.0, 90.0))})
    around = np.s_[14:24, 4:28]  # floor on both sides of the ball
    agree(*(measured(document, assets, (32, 24), samples, around, Dark, plain=samples > 128) for samples in (128, 1024)), known=0.015)


def test_a_led_colour_below_the_surface_is_the_colour_light_wanders_in():
    wax = Surface(base_color=(0.8, 0.8, 0.8), subsurface_weight=1.0, subsurface_radius=0.5, specular_weight=0.0, subsurface_color=(0.9, 0.9, 0.9))
    colour = (0.3, 0.6, 0.15)
    led, assets = dressed(sphere_mesh(20.0, 48), wax, nodes=[Node("c", "constant", {"value": colour})], wires={"subsurface_color": "c"})
    plain, more = dressed(sphere_mesh(20.0, 48), replace(wax, subsurface_color=colour))
    one, other = (trace(*pair, (32, 24), 256, UniformDome)[0].rgb[8:16, 12:20].mean((0, 1)) for pair in ((led, assets), (plain, more)))
    np.testing.assert_allclose(one, other, rtol=0.01)
    assert one[1] > 1.5 * one[0] > 2.0 * one[2]


# relief


def tilted(angle: float, height: bool, image=None, surface=None):
    """A sheet lit from straight above whose bump or normal map leans every point by an angle toward +x."""
    if height:
        # height falls with x: a ramp of slope -tan(angle)
        drop = 200.0 * math.tan(math.radians(angle))
        nodes = [Node("h", "ramp", {"from_mm": -100.0, "to_mm": 100.0, "first": drop, "second": 0.0}, axis="x")]
        return dressed(plane(150.0), surface or MATT, nodes=nodes, wires={"height": "h"})
    s, c = math.sin(math.radians(angle)), math.cos(math.radians(angle))
    image = np.tile(np.array([0.5 + 0.5 * s, 0.5, 0.5 + 0.5 * c]), (8, 8, 1))
    node = Node("n", "image", {"width_mm": 50.0}, projection="flat", as_colour=False)
    return dressed(plane(150.0), surface or MATT, nodes=[node], wires={"normal": "n"}, image=image)


@pytest.mark.parametrize("height", [True, False])
@pytest.mark.parametrize("angle", [15.0, 40.0])
def test_bump_and_normal_map_lean_the_normal_by_what_they_say(height, angle):
    from aulmo.document.records import Lamp

    document, assets = tilted(angle, height)
    sun = Lamp(id="l", name="l", kind="distant", power=1000.0, unit="lux", angle=0.0)
    eye = replace(look_down(300.0), projection="parallel", span_mm=80.0)
    document = replace(document, lamps={"l": sun}, cameras={"c": eye})
    frame, _ = trace(document, assets, (16, 16), 16, Dark)
    assert frame.rgb[4:12, 4:12, 1].mean() == pytest.approx(0.5 * 1000 / math.pi * math.cos(math.radians(angle)), rel=0.03)


@pytest.mark.parametrize("height", [True, False])
def test_relief_leans_toward_plus_x(height):
    document, assets = tilted(30.0, height, surface=Surface(base_metalness=1.0, base_color=(1, 1, 1), specular_roughness=0.2))
    document = replace(document, cameras={"c": replace(look_down(300.0), projection="parallel", span_mm=80.0)})
    frame, _ = trace(document, assets, (16, 16), 32, HalfDome)
    assert frame.rgb[4:12, 4:12, 1].mean() > 0.8 * NITS  # the bright half of the dome lies at +x


def test_bump_makes_no_light_and_no_black_rims():
    nodes = [Node("n", "noise", {"size_mm": 4.0, "octaves": 3.0}), Node("h", "multiply", {"in1": "@n", "in2": 2.0})]
    white = Surface(base_color=(1, 1, 1), specular_weight=0.0)
    document, assets = dressed(sphere_mesh(20.0, 64), white, nodes=nodes, wires={"height": "h"})
    frame, _ = trace(document, assets, (48, 36), 64, UniformDome)
    ball = frame.rgb[..., 1]
    assert ball.max() < 1.15 * NITS
    inside = ball[6:30, 14:34]
    assert inside.min() > 0.35 * NITS and inside.mean() > 0.8 * NITS


# displacement


def test_subdividing_keeps_the_surface_and_reaches_the_step():
    box = box_mesh(20.0)
    fine = subdivided(box, 2.0)
    corners = fine.vertices[fine.triangles]
    edges = np.linalg.norm(corners - np.roll(corners, -1, 1), axis=2)
    assert edges.max() <= 2.0 + 1e-5
    area = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum()
    assert area == pytest.approx(6 * 400, rel=1e-5)
    # every edge of the closed box is still shared by two triangles
    _, weld = np.unique(np.rint(fine.vertices * 1e4), axis=0, return_inverse=True)
    welded = np.sort(weld.reshape(-1)[fine.triangles][:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), 1)
    assert (np.unique(welded, axis=0, return_counts=True)[1] == 2).all()


def test_a_displaced_ball_is_larger_by_the_height_without_cracks():
    node = [Node("h", "constant", {"value": 3.0})]
    document, assets = dressed(sphere_mesh(20.0, 24), nodes=node, wires={"displacement": "h"}, displacement_step=2.0)
    scene = SceneBuilder(assets).build(document)
    points = scene.arrays.points[:, :3]
    np.testing.assert_allclose(np.linalg.norm(points, axis=1), 23.0, atol=0.25)
    frame, _ = trace(document, assets, (48, 36), 16, UniformDome, transparent=True)
    plain, _ = trace(
        replace(document, materials={"m": replace(document.materials["m"], wires={})}), assets, (48, 36), 16, UniformDome, transparent=True
    )
    assert frame.alpha.sum() / plain.alpha.sum() == pytest.approx((23 / 20) ** 2, rel=0.03)
    assert frame.alpha[16:20, 22:26].min() == 1.0


def test_a_displaced_box_does_not_tear_at_its_edges():
    node = [Node("h", "constant", {"value": 2.0})]
    document, assets = dressed(box_mesh(20.0), nodes=node, wires={"displacement": "h"}, displacement_step=2.0)
    book = ProgramBook(assets)
    mesh = book.displaced(document.parts["ball"].mesh, [document.materials["m"]], ())
    _, weld = np.unique(np.rint(mesh.vertices * 1e3), axis=0, return_inverse=True)
    welded = np.sort(weld.reshape(-1)[mesh.triangles][:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), 1)
    assert (np.unique(welded, axis=0, return_counts=True)[1] == 2).all()


def test_too_fine_a_step_is_a_sentence():
    with pytest.raises(BadValue, match="more than 8 million triangles"):
        subdivided(box_mesh(1000.0), 0.05)
    with pytest.raises(BadValue, match="above zero"):
        subdivided(box_mesh(10.0), 0.0)


def test_a_camera_that_looks_from_the_side_sees_a_displaced_silhouette():
    ripple = [Node("s", "stripes", {"size_mm": 8.0, "share": 0.5}, axis="z"), Node("h", "multiply", {"in1": "@s", "in2": 4.0})]
    document, assets = dressed(sphere_mesh(20.0, 48), nodes=ripple, wires={"displacement": "h"}, displacement_step=0.8)
    eye = Camera(id="c", name="c", position=(0, -300, 0), projection="parallel", span_mm=56.0, shutter=1 / 15, target=(0, 0, 0))
    frame, _ = trace(replace(document, cameras={"c": eye}), assets, (112, 112), 8, UniformDome, transparent=True)
    width = frame.alpha.sum(1) * 0.5
    middle = width[32:80]
    # a stripe of 4 mm, then a gap of 4 mm: the outline goes out and in by up to 8 mm of diameter
    assert np.ptp(np.diff(middle)) > 4.0


# coat and cut-outs


def lacquered(nodes, wires, **more):
    """A rough dark sheet under smooth lacquer, seen from above under a dome whose half at +x is bright."""
    surface = Surface(base_color=(0.02, 0.02, 0.02), specular_weight=0.0, coat_weight=1.0, coat_roughness=0.05, **more)
    document, assets = dressed(plane(150.0), surface, nodes=nodes, wires=wires)
    document = replace(document, cameras={"c": replace(look_down(300.0), projection="parallel", span_mm=80.0)})
    frame, _ = trace(document, assets, (16, 16), 64, HalfDome)
    return frame.rgb[4:12, 4:12, 1].mean()


def test_a_coat_stays_smooth_over_relief_unless_it_is_given_its_own():
    slope = [Node("h", "ramp", {"from_mm": -100.0, "to_mm": 100.0, "first": 100.0, "second": 0.0}, axis="x")]
    smooth, over, with_it = lacquered((), {}), lacquered(slope, {"height": "h"}), lacquered(slope, {"height": "h", "coat_height": "h"})
    # leaning by 26.6 degrees turns the lacquer's mirrored direction wholly into the bright half: another half of its reflectance
    reflectance = ((1.6 - 1) / (1.6 + 1)) ** 2  # of the default coat, head on
    assert with_it - over == pytest.approx(0.5 * reflectance * NITS, rel=0.1)
    assert over < smooth + 0.01 * NITS  # only the dark base leans


def test_a_bent_coat_is_sampled_with_the_density_claimed_and_makes_no_light():
    from aulmo.surface import columns
    from lobes import KINDS, cap_grid, density_at, directions, furnace, misfit, row_of

    row, table, films = row_of(KINDS["satin coat"])
    row[columns.COAT_BENT] = 1.0
    row[columns.COAT_NORMAL : columns.COAT_NORMAL + 3] = math.sin(0.4), 0.0, math.cos(0.4)
    count, n = 1 << 15, 12
    found = directions(row, table, films, 0.8, False, count)
    found = found[np.abs(found).sum(1) > 0]
    observed, _, _ = np.histogram2d(found[:, 2], np.arctan2(found[:, 1], found[:, 0]), bins=(n, n), range=((0, 1), (-math.pi, math.pi)))
    where = cap_grid(0.0, n * 20, n * 20)
    expected = density_at(row, table, films, 0.8, False, where).reshape(n, 20, n, 20).mean((1, 3)) * 2 * math.pi / n**2 * count
    assert misfit(observed, expected, 30.0) < 1.4
    assert furnace(row, table, films, 0.8, False, 1 << 13) < 1.03


@pytest.mark.parametrize("share", [0.3, 0.7])
def test_light_falls_through_the_holes_that_nodes_cut(share):
    """A sheet with holes between its stripes lets through the share of light that the holes are."""
    from aulmo.document.records import Lamp, Part

    stripes = [Node("s", "stripes", {"size_mm": 4.0, "share": share, "first": (0.0, 0.0, 0.0), "second": (1.0, 1.0, 1.0)}, axis="x")]
    document, assets = dressed(plane(400.0), nodes=stripes, wires={"geometry_opacity": "s"})
    card = edits.put_material(document, replace(document.materials["m"], id="card", name="Card", nodes=(), wires={}))
    mesh = next(iter(document.parts.values())).mesh
    card = edits.add_parts(card, [Part(id="below", name="Below", mesh=mesh, material="card", placement=Placement((0.0, 0.0, -50.0)))], ["below"])
    sun = Lamp(id="l", name="l", kind="distant", power=1000.0, unit="lux", angle=0.0)
    from_below = replace(look_down(300.0), position=(0.0, -60.0, -30.0), target=(0.0, 0.0, -50.0), projection="parallel", span_mm=60.0)
    card = replace(card, lamps={"l": sun}, cameras={"c": from_below})
    frame, _ = trace(card, assets, (48, 32), 64, Dark, settings=None)
    lit = frame.rgb[8:24, 8:40, 1]
    full = 0.5 * 1000 / math.pi
    held = lit.mean() / full
    # the striped sheet also throws some light back down on the card
    assert 1 - share - 0.03 < held < 1 - share + 0.12
    assert lit.max() > 3 * max(1e-6, lit.min())


# from afar


FAR = {
    "noise": [Node("n", "noise", {"size_mm": 7.0, "octaves": 5.0})],
    "fold": [Node("n", "noise", {"size_mm": 7.0, "octaves": 2.0, "fold": 0.6})],
    "wood": [Node("n", "wood", {"ring_mm": 3.0, "board_mm": 20.0, **GREY})],
    "weave": [Node("n", "weave", {"size_mm": 0.8, "uneven": 0.4})],
    "stripes": [Node("n", "stripes", {"size_mm": 80.0, "share": 0.05, **GREY})],
    "checker": [Node("n", "checker", {"size_mm": 6.0, **GREY})],
    "mix": [Node("m", "noise", {"size_mm": 5.0}), Node("n", "mix", {"bg": GREY["first"], "fg": GREY["second"], "mix": "@m"})],
}


def footprint_of_the_mean(nodes) -> float:
    material = Material("m", "M", nodes=tuple(nodes), wires={"base_color": nodes[-1].id})
    return blind_from(compile_program(material, None))


@pytest.mark.parametrize("kind", FAR)
def test_beyond_its_footprint_a_pattern_is_its_mean_everywhere(kind):
    """What a material seen from afar is given instead of its nodes is what they would say, to a twentieth of their range."""
    wide = footprint_of_the_mean(FAR[kind])
    points = np.random.default_rng(2).uniform(-500, 500, (4000, 3))
    there, mean = values(FAR[kind], points, wide=1.001 * wide), values(FAR[kind], points[:1], wide=1e12)
    near = values(FAR[kind], points)
    assert np.ptp(near) > 0.2
    np.testing.assert_allclose(there, np.broadcast_to(mean, there.shape), atol=0.05 * np.ptp(near))
    assert abs(near.mean() - mean.mean()) < 0.05 * np.ptp(near)


@pytest.mark.parametrize("gain", [0.0, 1.0, -1.0, 40.0])
def test_noise_of_any_gain_is_a_number_from_everywhere(gain):
    nodes = [Node("n", "noise", {"size_mm": 7.0, "octaves": 2.0, "gain": gain, "fold": 1.0})]
    for wide in (1e-6, 5.0, 1e6):
        found = values(nodes, np.random.default_rng(3).uniform(-50, 50, (50, 3)), wide=wide)
        assert np.isfinite(found).all() and found.min() >= 0.0 and found.max() <= 1.0


def test_patterns_without_a_size_are_never_their_mean():
    for nodes in (EVERY_KIND["ramp"], EVERY_KIND["cells"], EVERY_KIND["dots"], EVERY_KIND["facingratio"], EVERY_KIND["position"]):
        assert footprint_of_the_mean(nodes) == math.inf


def test_light_from_a_patterned_wall_is_the_same_by_its_nodes_and_by_their_mean(monkeypatch):
    """A sheet lit by a glowing sky and a boarded ceiling above: the footprint after a matt bounce shows no boards."""
    nodes = (
        Node("w", "wood", {"ring_mm": 3.0, "board_mm": 10.0, "first": 1.0, "second": 0.4}),
        Node("g", "stripes", {"size_mm": 10.0, "share": 0.1, "first": 1.0, "second": 0.2}),
        Node("c", "multiply", {"in1": "@w", "in2": "@g"}),
    )

    def light() -> float:
        document, assets = dressed(plane(400.0), nodes=nodes, wires={"base_weight": "c"})
        floor = document.parts["ball"]
        above = replace(floor, id="above", placement=Placement((0.0, 0.0, 300.0)))
        document = edits.add_parts(replace(document, parts={"ball": replace(floor, material=None)}), [above], ["above"])
        camera = replace(document.cameras["c"], position=(0.0, -60.0, 200.0), target=(0.0, 0.0, 0.0))
        document = replace(document, cameras={"c": camera})
        return float(trace(document, assets, (24, 24), 256, UniformDome)[0].rgb.mean())

    seen = light()
    monkeypatch.setattr("aulmo.trace.pattern.programs.blind_from", lambda program: math.inf)
    assert seen == pytest.approx(light(), rel=0.01)
