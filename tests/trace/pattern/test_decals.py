"""Decals in the traced picture: where they are seen, at what size, on what, and what light makes of them."""

import math

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo import script
from aulmo.document import edits
from aulmo.document.decals import put_decal
from aulmo.document.placement import world_matrix
from aulmo.document.records import Camera, Decal, Material, Node, Part, Placement, Stop, Surface
from aulmo.prepare import pieces, sticking
from aulmo.trace import draft
from aulmo.trace.camera_rows import camera_rows
from aulmo.trace.options import options_row
from aulmo.trace.tracer import draw_draft, render
from shapes import box_mesh, one_part
from tracing import NITS, UniformDome, trace

WHITE = Surface(base_color=(0.8, 0.8, 0.8), specular_weight=0.0, specular_roughness=1.0)
INK = Material(id="ink", name="Ink", surface=Surface(base_color=(0.0, 0.0, 0.0), specular_weight=0.0))
SPAN, SIZE = 80.0, (160, 120)
PER_MM = SIZE[0] / SPAN


def picture(tmp_path, image, name="art.png"):
    """A file of an image (h, w, 3 or 4) 0..255."""
    path = tmp_path / name
    Image.fromarray(np.asarray(image, np.uint8)).save(path)
    return path


def flat(tmp_path, colour=(200, 20, 20)):
    return picture(tmp_path, np.tile(np.array(colour, np.uint8), (8, 8, 1)))


def seen(document, assets, way=(0, -1, 0), size=SIZE, samples=16, up=0.0, span=SPAN, **more):
    """(h, w, 3) share of the dome's light, looked at without perspective along -`way`."""
    position = tuple(500.0 * np.asarray(way, float))
    camera = Camera(id="c", name="C", position=position, target=(0, 0, 0), projection="parallel", span_mm=span)
    document = replace(document, cameras={"c": camera})
    frame, tracer = trace(document, assets, size, samples, UniformDome, **more)
    return frame.rgb / NITS


def redness(shown):
    """How much of a pixel is red ink on white."""
    more = shown[..., 0] - shown[..., 1]
    return np.maximum(more, 0.0) / max(0.1, float(np.median(more[more > 0.5 * more.max()])))


def block(size=50.0, surface=WHITE):
    document, assets = one_part(box_mesh(size), surface)
    return edits.put_material(document, INK), assets


# size and place


def test_a_checker_of_known_size_is_measured_in_the_picture(tmp_path):
    """Its edges lie where its millimetres say, to 0.2 pixels."""
    cells = (np.indices((8, 8)).sum(0) % 2)[..., None] * np.array([255, 255, 255])
    path = picture(tmp_path, np.kron(cells, np.ones((16, 16, 1))))
    document, assets = block()
    document, _ = script.lay_picture(document, assets, "ball", path, width_mm=40.0, projection="box")
    shown = seen(document, assets, samples=64)[..., 1]
    line = shown[SIZE[1] // 2 + 3, 32:128]  # within a row of cells
    middle = 0.5 * (line.max() + line.min())
    crossings = np.flatnonzero((line[1:] > middle) != (line[:-1] > middle))
    at = crossings + (middle - line[crossings]) / (line[crossings + 1] - line[crossings])
    steps = np.diff(at)
    assert len(at) >= 7
    np.testing.assert_allclose(steps, 5.0 * PER_MM, atol=0.2)


def test_a_decal_has_its_size_and_lies_where_it_was_put(tmp_path):
    document, assets = block()
    document, _ = script.add_decal(document, assets, flat(tmp_path), "ball", (5, -25, -3), (0, -1, 0), 20.0)
    red = redness(seen(document, assets, samples=64))
    assert red.sum() == pytest.approx((20.0 * PER_MM) ** 2, rel=0.01)
    y, x = np.indices(red.shape) + 0.5
    assert (red * x).sum() / red.sum() == pytest.approx(SIZE[0] / 2 + 5 * PER_MM, abs=0.2)
    assert (red * y).sum() / red.sum() == pytest.approx(SIZE[1] / 2 + 3 * PER_MM, abs=0.2)


def test_artwork_is_neither_mirrored_nor_upside_down(tmp_path):
    art = np.full((40, 40, 3), 255)
    art[:20, :20] = (255, 0, 0)  # red at the upper left
    document, assets = block()
    document, decal_id = script.add_decal(document, assets, picture(tmp_path, art), "ball", (0, -25, 0), (0, -1, 0), 30.0)
    red = redness(seen(document, assets))
    assert red[45, 65] > 0.9 and red[45, 95] < 0.1 and red[75, 65] < 0.1
    decal = document.decals[decal_id]
    red = redness(seen(put_decal(document, replace(decal, flip_x=True)), assets))
    assert red[45, 95] > 0.9 and red[45, 65] < 0.1
    red = redness(seen(put_decal(document, replace(decal, flip_y=True)), assets))
    assert red[75, 65] > 0.9 and red[45, 65] < 0.1
    red = redness(seen(put_decal(document, replace(decal, rotate=90.0)), assets))  # a quarter turn to the left
    assert red[75, 65] > 0.9 and red[45, 65] < 0.1


def test_on_a_cylinder_a_decal_keeps_the_length_of_its_arc(tmp_path):
    """Half of it lies left and right of the middle by as much of the circumference as half its width."""
    document, assets = one_part(box_mesh(1.0), WHITE)
    document, made = pieces.add_piece(document, pieces.set_piece("cylinder", radius=20.0, height=60.0))
    document = edits.change_part(edits.delete_parts(document, ["ball"]), made, material="m", placement=Placement(position=(0, 0, -30)))
    art = np.full((10, 40, 3), 255)
    art[:, :20] = (255, 0, 0)
    document, _ = script.add_decal(document, assets, picture(tmp_path, art), made, (0, -20, 0), (0, -1, 0), 40.0, wrap="cylinder")
    red = redness(seen(document, assets, samples=64))[56:64].mean(0)
    width = 20.0 * math.sin(20.0 / 20.0)  # of an arc of 20 mm seen from the front
    assert red.sum() == pytest.approx(width * PER_MM, abs=0.4)


@pytest.mark.parametrize("wrap", ["flat", "cylinder"])
def test_from_behind_nothing_of_a_decal_is_seen(tmp_path, wrap):
    document, assets = one_part(box_mesh(1.0), WHITE)
    document, made = pieces.add_piece(document, pieces.set_piece("cylinder", radius=15.0, height=40.0))
    document = edits.change_part(edits.delete_parts(document, ["ball"]), made, material="m")
    path = flat(tmp_path)
    with_it, _ = script.add_decal(document, assets, path, made, (0, -15, 20), (0, -1, 0), 20.0, depth_mm=60.0, wrap=wrap)
    assert redness(seen(with_it, assets)).max() > 0.5
    behind = seen(with_it, assets, way=(0, 1, 0))
    assert np.abs(behind[..., 0] - behind[..., 1]).max() < 1e-4


def test_a_thin_plate_has_no_decal_on_its_back(tmp_path):
    document, assets = one_part(box_mesh(50.0), WHITE)
    document = edits.change_part(document, "ball", placement=Placement(scale=(1, 0.01, 1)))  # half a millimetre
    document, _ = script.add_decal(document, assets, flat(tmp_path), "ball", (0, -0.25, 0), (0, -1, 0), 20.0)
    front, back = seen(document, assets), seen(document, assets, way=(0, 1, 0))
    assert (front[..., 0] - front[..., 1]).max() > 0.3 and np.abs(back[..., 0] - back[..., 1]).max() < 1e-4


# whose it is


def blocks(assets_of=20.0):
    document, assets = block(20.0)
    mesh = document.parts["ball"].mesh
    other = Material(id="m2", name="Other", surface=replace(WHITE, base_color=(0.4, 0.4, 0.4)))
    document = edits.put_material(document, other)
    more = [Part(id=i, name=i, mesh=mesh, material="m2", placement=Placement(position=(x, 0, 0))) for i, x in (("left", -20.0), ("right", 20.0))]
    return edits.add_parts(document, more, [p.id for p in more]), assets


def stripes(tmp_path):
    art = np.full((20, 120, 3), 255)
    art[:, ::20] = art[:, 1::20] = art[:, 2::20] = (255, 0, 0)
    return picture(tmp_path, art)


def test_a_region_is_one_picture_over_three_parts_and_goes_with_the_one_that_moves(tmp_path):
    document, assets = blocks()
    document, decal_id = script.add_decal(document, assets, flat(tmp_path), "ball", (0, -10, 0), (0, -1, 0), 50.0, belongs="region")
    decal = replace(document.decals[decal_id], height_mm=10.0)
    document = put_decal(document, decal)
    red = redness(seen(document, assets, samples=24))
    assert red[50:70, 32:128].min() > 0.2 and red.sum() == pytest.approx(50 * PER_MM * 10 * PER_MM, rel=0.02)
    moved = edits.change_part(document, "right", placement=Placement(position=(20.0, 0, 12.0)))
    took = redness(seen(moved, assets, samples=24))
    assert took.sum() == pytest.approx(red.sum(), rel=0.02)  # its piece came along
    low, high = 60 - int(4 * PER_MM), 60 - int(12 * PER_MM)  # both on the part that moved up, below and above
    assert took[low, 115] < 0.05 and took[high, 115] > 0.2
    slipped = redness(seen(put_decal(moved, replace(decal, slips=True)), assets, samples=24))
    assert slipped[low, 115] > 0.2 and slipped[high, 115] < 0.05  # it went away under it


def test_what_a_decal_is_made_of_knows_the_part_below(tmp_path):
    """A gradient over the part runs through a decal on it, though the part's own material asks nothing."""
    document, assets = block()
    stops = (Stop(0.0, (0.0, 0.0, 0.0)), Stop(1.0, (0.8, 0.8, 0.8)))
    nodes = (Node("g", "gradient", stops=stops, axis="z"),)
    document = edits.put_material(document, Material("run", "Run", surface=WHITE, nodes=nodes, wires={"base_color": "g"}))
    document, decal_id = script.add_decal(document, assets, flat(tmp_path), "ball", (0, -25, 0), (0, -1, 0), 40.0)
    document = put_decal(document, replace(document.decals[decal_id], artwork="surface", material="run"))
    column = seen(document, assets, samples=32)[:, SIZE[0] // 2, 1]
    middle = SIZE[1] // 2
    for up in (-15, 0, 15):
        assert column[middle - int(up * PER_MM)] == pytest.approx(0.8 * (0.5 + up / 50), abs=0.04)


def test_alike_parts_each_show_it_in_their_own_axes(tmp_path):
    document, assets = blocks()
    document = edits.change_part(document, "right", placement=Placement(position=(20.0, 0, 0), turn=(0, 90.0, 0)))  # on its side
    document, _ = script.add_decal(document, assets, flat(tmp_path), "ball", (0, -10, 6), (0, -1, 0), 6.0, belongs="alike")
    red = redness(seen(document, assets, samples=32))
    up, right = 60 - int(6 * PER_MM), 80 + int(26 * PER_MM)
    assert red[up, 80] > 0.4 and red[up, 80 - int(20 * PER_MM)] > 0.4 and red[60, right] > 0.2 and red[up, 80 + int(20 * PER_MM)] < 0.05


def test_a_copy_wears_the_decal_of_what_it_is_a_copy_of(tmp_path):
    from aulmo.document.properties import resolve

    document, assets = block(12.0)
    document, _ = script.add_decal(document, assets, flat(tmp_path), "ball", (0, -6, 0), (0, -1, 0), 6.0)
    document, _ = script.make_copies(document, ["ball"], "row", count=3, step=(18.0, 0.0, 0.0))
    red = redness(seen(resolve(document), assets, samples=32))
    assert red.sum() == pytest.approx(3 * (6 * PER_MM) ** 2, rel=0.05)


# what lies on what


def test_what_is_on_top_is_met_with_the_chance_of_its_opacity(tmp_path):
    document, assets = block()
    document, _ = script.add_decal(document, assets, flat(tmp_path, (0, 0, 0)), "ball", (0, -25, 0), (0, -1, 0), 30.0)
    document, top = script.add_decal(document, assets, flat(tmp_path, (255, 255, 255)), "ball", (0, -25, 0), (0, -1, 0), 20.0)
    document = edits.put_material(document, Material(id="matt", name="Matt", surface=replace(WHITE, base_color=(1.0, 1.0, 1.0))))
    decals = {i: replace(d, material="matt", opacity=0.25 if i == top else 1.0) for i, d in document.decals.items()}
    shown = seen(replace(document, decals=decals), assets, samples=64)
    assert shown[56:64, 76:84].mean() == pytest.approx(0.25, abs=0.02) and shown[56:64, 108].mean() < 0.01 and shown[30, 80].mean() > 0.01


def test_one_decals_alpha_frames_another(tmp_path):
    document, assets = block()
    document, frame = script.add_decal(document, assets, flat(tmp_path), "ball", (0, -25, 0), (0, -1, 0), 10.0)
    document, within = script.add_decal(document, assets, flat(tmp_path), "ball", (0, -25, 0), (0, -1, 0), 30.0)
    document = put_decal(document, replace(document.decals[within], frame=frame))
    assert redness(seen(document, assets, samples=64)).sum() == pytest.approx((10 * PER_MM) ** 2, rel=0.05)


def test_white_ink_on_white_stays_a_furnace():
    """What gives back all light cannot be seen in an even dome, printed on or not."""
    white = Surface(base_color=(1.0, 1.0, 1.0), specular_weight=0.0)
    document, assets = one_part(box_mesh(50.0), white)
    document = edits.put_material(document, Material(id="w", name="W", surface=white))
    spot = sticking.spot_at(document, assets, "ball", (0, -25, 0), (0, -1, 0))
    made = sticking.new_decal(document, assets, spot, artwork="shape", shape="round", width_mm=30.0, height_mm=30.0, material="w", opacity=0.6)
    shown = seen(put_decal(document, made), assets, samples=32)
    np.testing.assert_allclose(shown.mean((0, 1)), 1.0, atol=0.01)
    assert shown[56:64, 76:84].mean() == pytest.approx(1.0, abs=0.02)


def test_a_foil_is_metal_on_what_is_none(tmp_path):
    """Its surface differs in every number: a mirror in an even dome gives back its own colour, whatever it lies on."""
    document, assets = block(surface=replace(WHITE, base_color=(0.02, 0.02, 0.02)))
    foil = Material(id="f", name="Foil", surface=Surface(base_color=(0.9, 0.7, 0.3), base_metalness=1.0, specular_roughness=0.1))
    document = edits.put_material(document, foil)
    spot = sticking.spot_at(document, assets, "ball", (0, -25, 0), (0, -1, 0))
    made = sticking.new_decal(document, assets, spot, artwork="surface", width_mm=30.0, height_mm=30.0, material="f")
    shown = seen(put_decal(document, made), assets, samples=64)
    np.testing.assert_allclose(shown[56:64, 76:84].mean((0, 1)), (0.9, 0.7, 0.3), atol=0.03)
    assert shown[20, 80].max() < 0.06


def test_ink_on_glass_stops_light_and_its_back_is_seen_through_the_glass(tmp_path):
    glass = Surface(transmission_weight=1.0, specular_roughness=0.0, specular_ior=1.01)
    document, assets = one_part(box_mesh(40.0), glass)
    document = edits.put_material(document, INK)
    document = edits.add_parts(
        document, [Part(id="card", name="Card", mesh=assets.add_mesh(box_mesh(60.0)), placement=Placement(position=(0, 80, 0)))], ["card"]
    )
    spot = sticking.spot_at(document, assets, "ball", (0, -20, 0), (0, -1, 0))
    made = sticking.new_decal(
        document, assets, spot, artwork="surface", width_mm=16.0, height_mm=16.0, material="ink", colouring="one", colour=(0.0, 0.0, 0.0)
    )
    document = put_decal(document, made)
    front = seen(document, assets, samples=32)
    assert front[56:64, 76:84].mean() < 0.02 and front[60, 105].mean() > 0.1
    behind = seen(edits.delete_parts(document, ["card"]), assets, way=(0, 1, 0), samples=32)
    assert behind[56:64, 76:84].mean() < 0.1 and behind[60, 105].mean() > 0.8


def test_printed_glass_throws_the_shadow_of_its_ink():
    """A clear pane over a floor under a small sun: light passes but for where the ink is."""
    from aulmo.document.records import Lamp

    glass = Surface(transmission_weight=1.0, specular_roughness=0.0, geometry_thin_walled=True, specular_ior=1.01)
    document, assets = one_part(box_mesh(60.0), glass)
    document = edits.change_part(document, "ball", placement=Placement(scale=(1.0, 1.0, 0.02), position=(0, 0, 40)))
    document = edits.put_material(document, Material(id="m2", name="W", surface=WHITE))
    document = edits.add_parts(
        document, [Part(id="f", name="F", mesh=assets.add_mesh(box_mesh(200.0)), material="m2", placement=Placement(position=(0, 0, -100)))], ["f"]
    )
    document = edits.put_material(document, INK)
    sun = Lamp(id="l", name="S", kind="distant", power=1e5, unit="lux", angle=0.2)
    document = replace(document, lamps={"l": sun})
    spot = sticking.spot_at(document, assets, "ball", (0, 0, 40.6), (0, 0, 1))
    printed = put_decal(document, sticking.new_decal(document, assets, spot, artwork="surface", width_mm=20.0, height_mm=20.0, material="ink"))
    way = (math.sin(1.2), 0.0, math.cos(1.2))

    def floor(d):
        return seen(d, assets, way=(0.9, 0.0, 0.45), samples=16, span=200.0)[..., 1]

    bare, dark = floor(document), floor(printed)
    lost = (bare - dark)[dark < 0.4 * bare]
    assert len(lost) > 20 and way[2] > 0
    assert (dark < 0.1 * bare).sum() > 20  # within the shadow nothing of the sun is left


def test_a_clear_decal_is_a_varnish_on_what_lies_below(tmp_path):
    document, assets = block(surface=replace(WHITE, base_color=(0.01, 0.3, 0.6)))
    document = edits.put_material(document, Material(id="v", name="Varnish", surface=Surface(transmission_weight=1.0, specular_roughness=0.05)))
    spot = sticking.spot_at(document, assets, "ball", (0, -25, 0), (0, -1, 0))
    made = sticking.new_decal(document, assets, spot, artwork="shape", shape="round", width_mm=30.0, height_mm=30.0, material="v")
    shown = seen(put_decal(document, made), assets, samples=32)
    bare, coated = shown[20, 70:90].mean(0), shown[56:64, 76:84].mean((0, 1))
    assert coated[0] > bare[0] + 0.02 and 0.3 < coated[2] / bare[2] < 1.2  # a shine over it, its colour still below


# near and far


def text_block(document, assets, height=4.0, **own):
    spot = sticking.spot_at(document, assets, "ball", (0, -25, 0), (0, -1, 0))
    made = sticking.new_decal(
        document, assets, spot, artwork="text", text="Odrel 0417", width_mm=40.0, colouring="one", colour=(0, 0, 0), material="ink", **own
    )
    return put_decal(document, made), made


def test_letters_of_twenty_pixels_are_what_sharp_ones_average_to(tmp_path):
    """Small letters are neither jagged nor washed out: they are the mean of a four times larger picture of them."""
    document, assets = block()
    document, made = text_block(document, assets)
    small = seen(document, assets, size=(160, 60), samples=32, span=60.0)[..., 1]
    large = seen(document, assets, size=(640, 240), samples=6, span=60.0)[..., 1].reshape(60, 4, 160, 4).mean((1, 3))
    rows = np.flatnonzero(large.min(1) < 0.6 * large.max())
    assert 14 <= len(rows) * 1.0 <= 26  # letters about twenty pixels high
    inside = (slice(rows[0] - 1, rows[-1] + 2), slice(30, 130))
    assert np.abs(small[inside] - large[inside]).mean() < 0.04 * large.max()
    assert small[inside].min() < 0.25 * large.max()


def test_far_away_a_decal_fades_into_its_mean(tmp_path):
    art = np.zeros((256, 256, 4), np.uint8)
    art[::2, :, 3] = 255  # black lines, half of it
    document, assets = block()
    document, _ = script.add_decal(document, assets, picture(tmp_path, art), "ball", (0, -25, 0), (0, -1, 0), 40.0)
    document = replace(document, decals={i: replace(d, material="ink") for i, d in document.decals.items()})
    shown = seen(document, assets, size=(40, 30), samples=64)[..., 1]
    inside = shown[12:18, 16:24]
    assert inside.std() < 0.02 and inside.mean() == pytest.approx(0.5 * shown[3, 18:22].mean(), rel=0.06)


def test_an_edge_that_stands_up_catches_light_and_its_middle_lies_flat():
    from tracing import HalfDome

    document, assets = block()
    spot = sticking.spot_at(document, assets, "ball", (0, -25, 0), (0, -1, 0))
    made = sticking.new_decal(document, assets, spot, artwork="surface", width_mm=30.0, height_mm=30.0, material="m", edge_mm=1.0)

    def lit(decal):
        camera = Camera(id="c", name="C", position=(0, -500, 0), target=(0, 0, 0), projection="parallel", span_mm=SPAN)
        frame, _ = trace(replace(put_decal(document, decal), cameras={"c": camera}), assets, SIZE, 32, HalfDome)
        return frame.rgb[..., 1][56:64].mean(0)

    edge, plain = lit(made), lit(replace(made, edge_mm=0.0))
    left, right = 80 - int(15 * PER_MM), 80 + int(15 * PER_MM)
    assert edge[right - 1] > 1.15 * plain[right - 1] and edge[left] < 0.9 * plain[left]  # turned to the bright side, and away from it
    assert edge[80] == pytest.approx(plain[80], rel=0.05)


# passes, draft, hiding


def test_mattes_name_the_decal():
    document, assets = block()
    spot = sticking.spot_at(document, assets, "ball", (0, -25, 0), (0, -1, 0))
    document = put_decal(
        document, sticking.new_decal(document, assets, spot, name="Maker", artwork="surface", width_mm=30.0, height_mm=30.0, material="ink")
    )
    camera = Camera(id="c", name="C", position=(0, -500, 0), target=(0, 0, 0), projection="parallel", span_mm=SPAN)
    document = replace(document, cameras={"c": camera}, render=replace(document.render, passes=("mattes",)))
    made = render(document, assets, document.shots[0], (80, 60), replace(document.render, stop="samples", samples=4, denoise=False))
    assert any("Maker" in text for key, text in made.passes.header.items() if key.endswith("/manifest"))


def test_the_draft_shows_decals_and_pictures(tmp_path):
    document, assets = block()
    document, _ = script.lay_picture(document, assets, "ball", flat(tmp_path, (20, 20, 200)), projection="flat")
    document, _ = script.add_decal(document, assets, flat(tmp_path), "ball", (0, -25, 0), (0, -1, 0), 20.0)
    camera = Camera(id="c", name="C", position=(0, -500, 0), target=(0, 0, 0), projection="parallel", span_mm=SPAN)
    scene = UniformDome(assets).build(replace(document, cameras={"c": camera}), tables=False)
    options = options_row(scene, document, camera, document.render, False, False)
    drawn = draw_draft(scene, camera_rows([camera], *SIZE)[0], options, draft.blur_environment(scene.arrays.env), *SIZE).picture.astype(int)
    assert drawn[60, 80, 2] > 1.3 * drawn[60, 80, 0] and drawn[60, 50, 0] > 1.3 * drawn[60, 50, 2]  # blue, green, red: red on blue


def test_a_hidden_decal_is_not_there_and_can_be_keyed(tmp_path):
    from aulmo.document.properties import put, resolve
    from aulmo.document.records import Key

    document, assets = block()
    document, decal_id = script.add_decal(document, assets, flat(tmp_path), "ball", (0, -25, 0), (0, -1, 0), 20.0)
    hidden = put(document, f"decals/{decal_id}/visible", False)
    shown = seen(hidden, assets)
    assert np.abs(shown[..., 0] - shown[..., 1]).max() < 1e-4
    keyed = replace(document, keys={f"decals/{decal_id}/opacity": (Key(0.0, 0.0), Key(1.0, 1.0))})
    assert resolve(keyed, time=0.5).decals[decal_id].opacity == pytest.approx(0.5)


def test_ground_relief_shows_through_by_its_share():
    from aulmo.document.records import Node

    document, assets = block()
    rough = replace(
        document.materials["m"],
        nodes=(Node("n", "stripes", {"size_mm": 8.0}, axis="x"), Node("h", "range", {"in": "@n", "outhigh": 2.0})),
        wires={"height": "h"},
    )
    document = edits.put_material(document, rough)
    spot = sticking.spot_at(document, assets, "ball", (0, -25, 0), (0, -1, 0))
    made = sticking.new_decal(document, assets, spot, artwork="surface", width_mm=36.0, height_mm=36.0, material="plain")
    document = edits.put_material(document, Material(id="plain", name="P", surface=WHITE))

    def uneven(share):
        from tracing import HalfDome

        camera = Camera(id="c", name="C", position=(0, -500, 0), target=(0, 0, 0), projection="parallel", span_mm=SPAN)
        frame, _ = trace(replace(put_decal(document, replace(made, ground=share)), cameras={"c": camera}), assets, SIZE, 16, HalfDome)
        return float(frame.rgb[40:80, 50:110, 1].mean(0).std())

    none, half, whole = uneven(0.0), uneven(0.5), uneven(1.0)
    assert none < 0.25 * whole and none < half < whole


def test_a_decal_without_anything_of_its_own_is_ink():
    document, assets = block()
    spot = sticking.spot_at(document, assets, "ball", (0, -25, 0), (0, -1, 0))
    document = put_decal(document, sticking.new_decal(document, assets, spot, artwork="shape", width_mm=30.0, height_mm=30.0))
    assert seen(document, assets, samples=16)[60, 80].mean() < 0.2
    assert (
        isinstance(document.decals, dict)
        and all(isinstance(d, Decal) for d in document.decals.values())
        and world_matrix(document, "ball") is not None
    )
