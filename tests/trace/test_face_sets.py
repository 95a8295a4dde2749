"""Faces of one part that wear materials of their own: seen, clear, glowing, in mattes, softened, displaced."""

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.records import Document, FaceSet, Floor, Lamp, Material, Node, RenderSettings, Surface
from aulmo.trace import draft
from aulmo.trace.camera_rows import camera_rows
from aulmo.trace.compile import arrays as a
from aulmo.trace.options import options_row
from aulmo.trace.passes import matte_float
from aulmo.trace.pick import pick
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import draw_draft, render
from shapes import box_mesh, one_part
from tracing import Dark, UniformDome, trace

RED, BLUE = Surface(base_color=(0.6, 0.02, 0.02), specular_weight=0.0), Surface(base_color=(0.02, 0.02, 0.6), specular_weight=0.0)
SIZE = (48, 36)


def numbered(mesh: Mesh) -> Mesh:
    """A box whose sides are faces 0 to 5: low x, high x, low y (toward the camera), high y, low z, high z."""
    return mesh._replace(faces=np.repeat(np.arange(6), 2).astype(np.int32))


def box(body: Surface, sets: dict[tuple[int, ...], Surface], **camera) -> tuple[Document, AssetStore]:
    """A box of 20 mm with face sets, seen from the front, a little from above and the right."""
    document, assets = one_part(numbered(box_mesh(20.0)), body, **{"position": (90.0, -180.0, 90.0), **camera})
    held = []
    for number, (faces, surface) in enumerate(sets.items()):
        document = edits.put_material(document, Material(id=f"s{number}", name=f"Set {number}", surface=surface))
        held.append(FaceSet(id=f"f{number}", name=f"Faces {number}", faces=faces, material=f"s{number}"))
    return edits.change_part(document, "ball", face_sets=tuple(held)), assets


def side(document: Document, assets: AssetStore, face: int) -> tuple[int, int]:
    """A pixel of a SIZE picture on which a face is seen."""
    scene = SceneBuilder(assets).build(document)
    camera = camera_rows(document.cameras["c"], *SIZE)
    options = options_row(scene, document, document.cameras["c"], RenderSettings())
    drawn = draw_draft(scene, camera, options, draft.blur_environment(scene.arrays.env), *SIZE)
    faces = np.where(drawn.parts == 0, scene.meshes[0].faces[np.clip(drawn.triangles, 0, 11)], -1)
    rows, columns = np.nonzero(faces == face)
    k = int(np.argmin(np.hypot(rows - rows.mean(), columns - columns.mean())))
    return int(rows[k]), int(columns[k])


def test_each_face_set_shows_its_colour_and_the_rest_the_bodys():
    document, assets = box(RED, {(5,): BLUE})
    frame, _ = trace(document, assets, SIZE, 16, UniformDome)
    top, front = frame.rgb[side(document, assets, 5)], frame.rgb[side(document, assets, 2)]
    assert top[2] > 5 * top[0] and front[0] > 5 * front[2]


def test_a_later_set_wins_where_two_hold_a_face():
    document, assets = box(RED, {(5, 2): Surface(base_color=(0.02, 0.6, 0.02), specular_weight=0.0), (5,): BLUE})
    frame, _ = trace(document, assets, SIZE, 16, UniformDome)
    top, front = frame.rgb[side(document, assets, 5)], frame.rgb[side(document, assets, 2)]
    assert top[2] > 5 * top[1] and front[1] > 5 * front[0]


def test_the_draft_shows_face_sets():
    document, assets = box(RED, {(5,): BLUE})
    scene = SceneBuilder(assets).build(document)
    options = options_row(scene, document, document.cameras["c"], RenderSettings())
    drawn = draw_draft(scene, camera_rows(document.cameras["c"], *SIZE), options, draft.blur_environment(scene.arrays.env), *SIZE)
    top, front = drawn.picture[side(document, assets, 5)].astype(int), drawn.picture[side(document, assets, 2)].astype(int)
    assert top[0] > 2 * top[2] and front[2] > 2 * front[0]  # blue, green, red


def test_the_ray_of_the_hand_tells_the_face():
    document, assets = box(RED, {(5,): BLUE})
    hit = pick(SceneBuilder(assets).build(document), (0.0, 0.0, 100.0), (0.0, 0.0, -1.0))
    assert hit is not None and hit.part == "ball" and hit.face == 5


def test_copies_share_their_table_of_faces():
    document, assets = box(RED, {(5,): BLUE})
    part = document.parts["ball"]
    document = edits.add_parts(
        document, [replace(part, id="twin", name="Twin"), replace(part, id="bare", name="Bare", face_sets=())], ["twin", "bare"]
    )
    arrays = SceneBuilder(assets).build(document).arrays
    assert arrays.instance_faces.tolist() == [0, 0, -1] and len(arrays.face_rows) == 12
    assert np.bincount(arrays.face_rows).tolist() == [0, 10, 2]


def test_light_comes_through_clear_faces_and_not_through_the_others():
    """A lamp within a closed box: its light falls on the floor only where the box is clear."""
    clear = Surface(transmission_weight=1.0, geometry_thin_walled=True, specular_ior=1.001, specular_roughness=0.0)
    document, assets = box(Surface(base_color=(0.5, 0.5, 0.5)), {(1,): clear}, position=(0.0, -1.0, 300.0), projection="parallel", span_mm=160.0)
    document = replace(document, floor=Floor(kind="plain", height=-10.0))
    lamp = Lamp(id="l", name="Bulb", kind="sphere", position=(0.0, 0.0, 0.0), width=4.0, power=500.0)
    document = edits.put_lamp(document, lamp)
    frame, _ = trace(document, assets, (40, 40), 64, Dark)
    rgb = frame.rgb.sum(-1)
    right, left = rgb[18:22, 26:32].mean(), rgb[18:22, 8:14].mean()
    assert right > 1.0 and left < 0.02 * right
    builder = SceneBuilder(assets)
    assert builder.build(document).clear_box is not None


def test_glowing_faces_light_the_floor_as_a_sheet_of_their_size_does():
    """The same light from one glowing face of a box as from chance alone, and none from the box's other faces."""
    glow = Surface(base_weight=0.0, specular_weight=0.0, emission_luminance=5000.0)
    black = Surface(base_color=(0.0, 0.0, 0.0), specular_weight=0.0)
    document, assets = box(black, {(4,): glow}, position=(0.0, -200.0, 200.0))
    document = replace(
        edits.place_parts(document, {"ball": replace(document.parts["ball"].placement, position=(0.0, 0.0, 40.0))}), floor=Floor(kind="plain")
    )
    aimed, tracer = trace(document, assets, (24, 18), 256, Dark)
    luck, _ = trace(document, assets, (24, 18), 2048, Dark, plain=True)
    assert aimed.rgb.mean() > 1.0
    assert aimed.rgb.mean() == pytest.approx(luck.rgb.mean(), rel=0.06)
    scene = SceneBuilder(assets).build(document)
    lamps = scene.arrays.lamps
    assert len(lamps) == 1 and lamps[0, a.LAMP_AREA] == pytest.approx(400.0, rel=1e-4) and int(lamps[0, a.LAMP_OWNER]) == 0


def test_two_glows_on_one_part_keep_their_own_colours_and_brightness():
    warm = Surface(base_weight=0.0, specular_weight=0.0, emission_luminance=4000.0, emission_color=(1.0, 0.3, 0.1))
    cold = Surface(base_weight=0.0, specular_weight=0.0, emission_luminance=1000.0, emission_color=(0.1, 0.3, 1.0))
    black = Surface(base_color=(0.0, 0.0, 0.0), specular_weight=0.0)
    document, assets = box(black, {(0,): warm, (1,): cold}, position=(0.0, -1.0, 300.0), projection="parallel", span_mm=120.0)
    document = replace(document, floor=Floor(kind="plain", height=-10.0))
    aimed, _ = trace(document, assets, (24, 24), 256, Dark)
    luck, _ = trace(document, assets, (24, 24), 2048, Dark, plain=True)
    for columns in (slice(0, 7), slice(17, 24)):
        for channel in range(3):
            assert aimed.rgb[8:16, columns, channel].mean() == pytest.approx(luck.rgb[8:16, columns, channel].mean(), rel=0.12, abs=0.3)
    assert aimed.rgb[8:16, :7, 0].mean() > 3 * aimed.rgb[8:16, :7, 2].mean() and aimed.rgb[8:16, 17:, 2].mean() > 2 * aimed.rgb[8:16, 17:, 0].mean()


def test_a_matte_of_a_material_covers_its_faces_alone():
    document, assets = box(RED, {(5,): BLUE})
    document = replace(document, render=RenderSettings(stop="samples", samples=8, passes=("mattes",), denoise=False))
    picture = render(document, assets, document.shots[0], SIZE, document.render)
    plane = picture.passes.planes["MatteMaterial00"]
    cover = {
        name: sum(np.where(plane[..., k] == np.float32(matte_float(name)), plane[..., k + 1], 0.0) for k in (0, 2)) for name in ("Plain", "Set 0")
    }
    assert cover["Set 0"][side(document, assets, 5)] == 1.0 and cover["Plain"][side(document, assets, 2)] == 1.0
    assert cover["Set 0"][side(document, assets, 2)] == 0.0


def test_softened_edges_go_round_between_faces_that_wear_different_things():
    """The rounding of an edge does not depend on who wears what on either side."""
    mirror = Surface(base_metalness=1.0, specular_roughness=0.15)
    eye = {"position": (60.0, -120.0, 60.0), "focal_length_mm": 200.0}
    one, assets = box(mirror, {}, **eye)
    two, other = box(mirror, {(5,): mirror}, **eye)
    pictures = [
        trace(edits.change_part(d, "ball", edge_radius=1.5), store, SIZE, 32)[0].rgb for d, store in ((one, assets), (two, other))
    ]  # fmt: skip
    sharp = trace(two, other, SIZE, 32)[0].rgb
    same, apart = np.abs(pictures[0] - pictures[1]).mean(), np.abs(pictures[1] - sharp).mean()
    assert same < 0.25 * apart


def test_displacement_moves_only_the_faces_that_wear_it_and_tears_nothing():
    document, assets = box(RED, {(5,): BLUE})
    lifted = replace(document.materials["s0"], nodes=(Node("h", "constant", {"value": 4.0}),), wires={"displacement": "h"}, displacement_step=2.0)
    document = edits.put_material(document, lifted)
    scene = SceneBuilder(assets).build(document)
    mesh = scene.meshes[0]
    assert len(mesh.faces) == len(mesh.triangles) > 12
    inner = np.unique(mesh.triangles[mesh.faces == 5])
    inside = inner[(np.abs(mesh.vertices[inner, :2]) < 7.9).all(1)]
    assert mesh.vertices[inside, 2] == pytest.approx(np.full(len(inside), 14.0), abs=1e-4)
    low = np.unique(mesh.triangles[mesh.faces == 4])
    assert mesh.vertices[low, 2].min() == pytest.approx(-10.0, abs=1e-4)
    _, weld = np.unique(np.rint(mesh.vertices * 1e3), axis=0, return_inverse=True)
    pairs = np.sort(weld.reshape(-1)[mesh.triangles][:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), 1)
    assert (np.unique(pairs, axis=0, return_counts=True)[1] == 2).all()
    assert scene.arrays.face_rows[scene.arrays.instance_faces[0] :].tolist().count(2) == int((mesh.faces == 5).sum())


def test_face_numbers_that_the_mesh_does_not_have_are_left_out():
    document, assets = box(RED, {(5, 77, 1000): BLUE})
    frame, _ = trace(document, assets, SIZE, 8, UniformDome)
    assert np.isfinite(frame.rgb).all()
    bare, plain = one_part(box_mesh(20.0), RED)  # a mesh without numbers
    bare = edits.change_part(bare, "ball", face_sets=document.parts["ball"].face_sets)
    bare = edits.put_material(bare, document.materials["s0"])
    assert np.isfinite(trace(bare, plain, SIZE, 4, UniformDome)[0].rgb).all()


def test_dressing_by_address():
    """A face set alone, the body alone, everything."""
    document, _ = box(RED, {(5,): BLUE})
    document = edits.put_material(document, Material(id="n", name="New"))
    assert edits.surfaces_of(edits.dress(document, ["parts/ball/face_sets/f0"], "n").parts["ball"]) == ["m", "n"]
    assert edits.surfaces_of(edits.dress(document, ["parts/ball"], "n").parts["ball"]) == ["n", "s0"]
    assert edits.surfaces_of(edits.assign_material(document, ["ball"], "n").parts["ball"]) == ["n", "n"]
    assert edits.wearers(document, "s0") == ["parts/ball/face_sets/f0"] and edits.users_of(document, "s0") == ["ball"]
    unique, copy = edits.make_unique_on(document, ["parts/ball/face_sets/f0"])
    assert edits.surfaces_of(unique.parts["ball"]) == ["m", copy]
    assert set(edits.drop_unused_materials(document).materials) == {"m", "s0"}
    gone = edits.drop_face_set(document, "ball", "f0")
    assert edits.surfaces_of(gone.parts["ball"]) == ["m"]
