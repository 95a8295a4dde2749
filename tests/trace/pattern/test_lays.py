"""How pictures lie: repeats, gaps, mirrors, depth, seams, what shows where they are bare, adjustments; by the program the renderer runs."""

import io

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo.document import edits
from aulmo.document.records import Adjust, Lay, Node, Surface
from aulmo.surface.compiling import compile_program
from aulmo.trace.pattern.program_run import run_points
from aulmo.trace.pattern.programs import ProgramBook
from shapes import box_mesh, one_part
from tracing import NITS, UniformDome, look_down, plane, trace

HALVES = np.zeros((8, 8, 3), np.uint8)
HALVES[:, :4] = 255  # white on the left


def png(image) -> bytes:
    out = io.BytesIO()
    Image.fromarray(np.asarray(image, np.uint8)).save(out, "PNG")
    return out.getvalue()


def values(lay: Lay, points, normals=None, image=HALVES, wide=1e-6, **node) -> np.ndarray:
    """(n,) of a picture laid on points (n, 3); 0 where it is bare."""
    document, assets = one_part(plane())
    name = assets.add(png(image), ".png")
    nodes = (Node("n", "image", image=name, lay=lay.id, as_colour=False, **node),)
    material = replace(document.materials["m"], nodes=nodes, lays=(lay,), wires={"height": "n"})
    book = ProgramBook(assets)
    book.begin()
    program = compile_program(material, book)
    lays, pictures, _held = book.tables()
    points = np.asarray(points, float)
    normals = np.tile([0.0, 0.0, 1.0], (len(points), 1)) if normals is None else np.asarray(normals, float)
    out = np.zeros((len(points), 3))
    run_points(program.height, lays, pictures, points, normals, np.zeros((0, 2)), wide, np.zeros((0, 4)), out)
    return out[:, 0]


def flat(**more) -> Lay:
    return Lay(id="l", projection="flat", width_mm=20.0, **more)


def at(*places) -> np.ndarray:
    return np.array([[x, y, 0.0] for x, y in places])


def test_tiles_repeat_and_every_second_is_mirrored():
    inside = at((-5, 0), (5, 0), (15, 0), (25, 0))
    assert values(flat(), inside).tolist() == [1, 0, 1, 0]
    assert values(flat(mirror=True), inside).tolist() == [1, 0, 0, 1]


def test_space_between_tiles_is_bare_and_once_is_once():
    lay = flat(gap_x_mm=10.0)
    assert values(lay, at((-5, 0), (14, 0), (25, 0))).round(6).tolist() == [1, 0, 1]  # the next one begins at 20
    assert values(flat(tile="none"), at((-5, 0), (-25, 0), (-5, 25))).tolist() == [1, 0, 0]
    assert values(flat(tile="across"), at((15, 0), (-5, 25))).tolist() == [1, 0]
    assert values(flat(tile="down"), at((-5, 25), (15, 0))).tolist() == [1, 0]


def test_a_flat_picture_reaches_as_deep_as_it_is_told():
    lay = flat(depth_mm=4.0, position=(0.0, 0.0, 10.0))
    assert values(lay, [[-5, 0, 12], [-5, 0, 15], [-5, 0, 7]]).tolist() == [1, 0, 1]


def test_a_picture_turned_and_moved_lies_where_it_says():
    assert values(flat(rotate=180.0), at((-5, 0), (5, 0))).tolist() == [0, 1]
    assert values(flat(offset_x_mm=10.0), at((5, 0), (15, 0))).tolist() == [1, 0]
    up = np.zeros((8, 8, 3), np.uint8)
    up[:4] = 255
    assert values(flat(offset_y_mm=5.0), at((0, 12), (0, -2)), image=up).tolist() == [1, 0]


def test_the_seams_of_a_box_are_soft_by_its_blend():
    lay = Lay(id="l", projection="box", width_mm=2000.0, blend=1.0)
    bare = replace(lay, blend=0.0)
    slanted = np.array([[1.0, 0.0, 1.0]]) / np.sqrt(2)
    point = [[-500.0, 500.0, 5.0]]  # white from above, black from the right
    above, right = values(bare, point, [[0, 0, 1.0]])[0], values(bare, point, [[1.0, 0, 0]])[0]
    assert {above, right} == {0.0, 1.0}
    assert values(lay, point, slanted)[0] == pytest.approx(0.5, abs=1e-6) and values(lay, point, [[0, 0, 1.0]])[0] == above


def test_round_a_cylinder_of_a_fixed_radius_a_cone_has_as_many_pictures_above_as_below():
    lay = Lay(id="l", projection="cylinder", radius_mm=10.0, width_mm=20 * np.pi / 4)
    ring = lambda r: np.array([[r * np.cos(t), r * np.sin(t), 0.0] for t in np.linspace(0.01, 6.27, 600)])  # noqa: E731
    turns = lambda r: int((np.diff((values(lay, ring(r)) > 0.5).astype(int)) > 0).sum())  # noqa: E731
    assert turns(10.0) == turns(4.0) == 4


def test_where_a_picture_is_clear_the_materials_own_colour_shows():
    image = np.zeros((8, 8, 4), np.uint8)
    image[:, :4] = (255, 0, 0, 255)
    document, assets = one_part(plane(400.0), Surface(base_color=(0.0, 0.0, 0.5), specular_weight=0.0))
    node = Node("n", "image", image=assets.add(png(image), ".png"), lay="l")
    material = replace(document.materials["m"], nodes=(node,), wires={"base_color": "n"}, lays=(flat(tile="none"),))
    document = replace(edits.put_material(document, material), cameras={"c": look_down(100.0)})
    frame, _ = trace(document, assets, (40, 30), 16, UniformDome)
    shown = frame.rgb / NITS
    assert shown[15, 12, 0] > 0.3 and shown[15, 12, 2] < 0.1  # red where it is
    assert shown[15, 28, 2] > 0.4 and shown[2, 2, 2] > 0.4  # blue where it is clear, and beside it


def test_adjustments_do_what_they_say():
    grey = np.full((8, 8, 3), 102, np.uint8)  # 0.4
    place = at((0, 0))
    found = lambda **how: float(values(flat(), place, image=grey, adjust=Adjust(**how))[0])  # noqa: E731
    assert found() == pytest.approx(0.4, abs=1e-6)
    assert found(turned_over=True) == pytest.approx(0.6, abs=1e-6)
    assert found(brightness=1.0) == pytest.approx(0.8, abs=1e-6)
    assert found(low=0.2, high=0.6) == pytest.approx(0.5, abs=1e-6)
    assert found(contrast=2.0) == pytest.approx(0.3, abs=1e-6)
    assert found(middle=2.0) == pytest.approx(0.4**0.5, abs=1e-6)


def test_an_edge_is_averaged_over_the_footprint():
    """A quarter of a wide footprint that lies on a picture is a quarter of it."""
    white = np.full((8, 8, 3), 255, np.uint8)
    lay = flat(tile="none")
    assert values(lay, at((10, 0), (11, 0)), image=white, wide=4.0).tolist() == pytest.approx([0.5, 0.25])


def test_a_picture_by_the_files_coordinates_is_the_same_on_a_displaced_mesh():
    mesh = box_mesh(20.0)
    uv = np.tile(np.array([[0, 0], [1, 0], [1, 1], [0, 1]], np.float32), (6, 1))
    document, assets = one_part(mesh._replace(uv=uv))
    node = Node("n", "image", image=assets.add(png(HALVES), ".png"), lay="l", as_colour=False)
    material = replace(
        document.materials["m"], nodes=(node,), lays=(Lay(id="l", projection="uv"),), wires={"displacement": "n"}, displacement_step=2.0
    )
    moved = ProgramBook(assets).displaced(document.parts["ball"].mesh, [material], ())
    assert len(moved.uv) == len(moved.vertices)
    out = np.abs(moved.vertices).max(1)
    inner = (np.abs(moved.uv[:, 1] - 0.5) < 0.3) & (np.abs(moved.uv[:, 0] - 0.5) < 0.45) & (np.abs(moved.uv[:, 0] - 0.5) > 0.1)
    left = inner & (moved.uv[:, 0] < 0.5)
    assert np.median(out[left]) == pytest.approx(11.0, abs=0.05) and np.median(out[inner & ~left]) == pytest.approx(10.0, abs=0.05)
