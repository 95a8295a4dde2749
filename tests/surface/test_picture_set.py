"""A set of pictures told apart by names and by content; wired with one lay; fitted."""

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo import script
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.records import Lay, Part, Placement
from aulmo.errors import BadValue
from aulmo.surface import laying
from aulmo.surface.lay_place import place_on_lay, pulled
from aulmo.surface.picture import read_picture
from aulmo.surface.picture_list import found_again, used_pictures
from aulmo.surface.picture_set import green_points_down, pictures_in, recognised, role_by_content, role_by_name
from shapes import box_mesh, one_part

RNG = np.random.default_rng(5)


@pytest.mark.parametrize(
    ("name", "role"),
    [
        ("Enamel_BaseColor.png", "colour"), ("enamel-albedo-2k.jpg", "colour"), ("wood_diff_4k.png", "colour"), ("PaintColor.tif", "colour"),
        ("metal_roughness.png", "roughness"), ("enamel_gloss.png", "gloss"), ("enamel_Metallic.png", "metalness"), ("enamel_nrm.png", "normal"),
        ("EnamelNormalGL.png", "normal"), ("enamel_disp.exr", "height"), ("enamel_AO.png", "occlusion"), ("ambient_occlusion.png", "occlusion"),
        ("leaf_opacity.png", "opacity"), ("screen_emissive.png", "glow"), ("crate_ORM.png", "packed"), ("IMG_2041.png", ""), ("holiday.jpg", ""),
    ],
)  # fmt: skip
def test_names_tell_what_a_picture_is_for(name, role):
    assert role_by_name(name) == role


def relief(path, down=False, size=96):
    """A normal map of a bumpy surface; green up, or down."""
    from scipy.ndimage import gaussian_filter

    height = gaussian_filter(RNG.normal(size=(size, size)), 3, mode="wrap") * 12
    rows, columns = np.gradient(height)
    n = np.stack([-columns, rows if not down else -rows, np.ones_like(rows)], -1)  # rows run down, green up
    n /= np.linalg.norm(n, axis=-1, keepdims=True)
    Image.fromarray(np.rint(255 * (0.5 + 0.5 * n)).astype(np.uint8)).save(path)
    return path


@pytest.mark.parametrize("down", [False, True])
def test_which_way_green_points_is_told_by_content(tmp_path, down):
    pixels = read_picture(relief(tmp_path / "n.png", down).read_bytes(), "n.png")
    assert role_by_content(pixels)[0] == "normal"
    found, sure = green_points_down(pixels)
    assert found is down and sure > 0.5


def test_a_set_without_telling_names_is_told_by_what_is_in_it(tmp_path):
    Image.fromarray(RNG.integers(60, 255, (32, 32, 3)).astype(np.uint8)).save(tmp_path / "one.png")
    Image.fromarray(RNG.integers(0, 255, (32, 32)).astype(np.uint8)).save(tmp_path / "two.png")
    relief(tmp_path / "three.png")
    found, trouble = recognised(AssetStore(), [tmp_path / n for n in ("one.png", "two.png", "three.png")])
    assert [f.role for f in found] == ["colour", "roughness", "normal"] and not trouble and found[2].by == "content"


def test_two_of_one_role_are_never_both_taken_and_broken_ones_are_told(tmp_path):
    for name in ("a_color.png", "b_color.png"):
        Image.new("RGB", (8, 8), (200, 20, 20)).save(tmp_path / name)
    (tmp_path / "c_normal.png").write_bytes(b"\x89PNG\r\n\x1a\nnothing")
    found, trouble = recognised(AssetStore(), sorted(tmp_path.iterdir()))
    assert sorted(f.role for f in found) == ["colour", "none"] and len(trouble) == 1 and "c_normal.png" in trouble[0]


def test_of_a_folder_of_five_hundred_files_the_first_are_looked_at_and_it_is_told(tmp_path):
    for k in range(500):
        (tmp_path / f"{k:03}.png").write_bytes(b"x")
    (tmp_path / "readme.txt").write_text("no picture")
    found, sentence = pictures_in([tmp_path])
    assert len(found) == 64 and "500" in sentence


def test_a_picture_that_leads_roughness_is_seen_as_numbers(tmp_path):
    Image.new("L", (8, 8), 64).save(tmp_path / "r.png")
    document, assets = one_part(box_mesh(20.0))
    document, material_id = script.lay_picture(document, assets, "ball", tmp_path / "r.png", drives="specular_roughness", width_mm=10.0)
    material = document.materials[material_id]
    assert not material.nodes[0].as_colour and material.wires == {"specular_roughness": material.nodes[0].id}


def test_a_picture_on_a_shared_material_makes_it_the_parts_own(tmp_path):
    Image.new("RGB", (8, 8)).save(tmp_path / "c.png")
    document, assets = one_part(box_mesh(20.0))
    other = Part(id="twin", name="Twin", mesh=document.parts["ball"].mesh, material="m", placement=Placement(position=(50, 0, 0)))
    document = edits.add_parts(document, [other], ["twin"])
    document, material_id = script.lay_picture(document, assets, "ball", tmp_path / "c.png", width_mm=10.0)
    assert document.parts["ball"].material == material_id != document.parts["twin"].material == "m"


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"drives": "shine"}, "cannot lead shine"),
        ({"width_mm": -2.0}, "above zero"),
        ({"projection": "spiral"}, "can be laid"),
        ({"projection": "uv"}, "coordinates"),
    ],
)
def test_nonsense_is_told_in_a_sentence(tmp_path, more, words):
    Image.new("RGB", (8, 8)).save(tmp_path / "c.png")
    document, assets = one_part(box_mesh(20.0))
    with pytest.raises(BadValue, match=words):
        script.lay_picture(document, assets, "ball", tmp_path / "c.png", **{"width_mm": 10.0, **more})


def test_fitting_to_two_parts_covers_both():
    document, assets = one_part(box_mesh(20.0))
    other = Part(id="twin", name="Twin", mesh=document.parts["ball"].mesh, placement=Placement(position=(40, 0, 0)))
    document = edits.add_parts(document, [other], ["twin"])
    flat = laying.fitted(document, assets, Lay(id="l", projection="flat"), ["ball", "twin"], "y")
    assert flat.width_mm == pytest.approx(60.0) and flat.height_mm == pytest.approx(20.0) and flat.position == pytest.approx((20, 0, 0))
    whole = laying.fitted(document, assets, Lay(id="l", projection="cylinder"), ["ball"], "z")
    assert whole.width_mm == pytest.approx(np.pi * 20.0, rel=1e-4)


@pytest.mark.parametrize("projection", ["flat", "box", "cylinder", "axis", "sphere"])
def test_the_hand_and_the_renderer_lay_a_picture_alike(projection):
    """Places for the hand against the kernel's, whatever the projector."""
    from aulmo.surface.lay import lay_row
    from aulmo.surface.program import REGISTER_ROWS
    from aulmo.trace.pattern.laid import laid

    lay = Lay(id="l", projection=projection, position=(3.0, -2.0, 5.0), turn=(20.0, -35.0, 60.0), width_mm=1e6, radius_mm=12.0, tile="none")
    row, room = lay_row(lay, 1.0), np.zeros((REGISTER_ROWS, 4))
    for _ in range(20):
        point, normal = RNG.normal(size=3) * 20, RNG.normal(size=3)
        normal /= np.linalg.norm(normal)
        u, v, *_ = laid(row, room, *point, *normal, 1e-3, -1)
        np.testing.assert_allclose(place_on_lay(lay, point, normal), [(u - 0.5) * 1e6, (0.5 - v) * 1e6], atol=1e-6)


def test_a_pulled_lay_has_the_same_place_of_the_picture_under_the_hand():
    lay = Lay(id="l", rotate=30.0, offset_x_mm=4.0)
    start, now = np.array([3.0, 7.0]), np.array([-6.0, 1.5])
    made = pulled(lay, start, now)
    np.testing.assert_allclose(now - [made.offset_x_mm, made.offset_y_mm], start - [lay.offset_x_mm, lay.offset_y_mm])


def test_missing_pictures_are_found_again_by_name_in_folders_within_a_folder(tmp_path):
    Image.new("RGB", (8, 8), (9, 9, 9)).save(tmp_path / "c.png")
    document, assets = one_part(box_mesh(20.0))
    document, material_id = script.lay_picture(document, assets, "ball", tmp_path / "c.png", width_mm=10.0)
    material = document.materials[material_id]
    lost = edits.put_material(document, replace(material, nodes=tuple(replace(n, image=None) for n in material.nodes)))
    assert [u.asset for u in used_pictures(lost)] == [None]
    deep = tmp_path / "a" / "b"
    deep.mkdir(parents=True)
    (tmp_path / "c.png").rename(deep / "C.PNG")
    again, found, left = found_again(lost, assets, tmp_path)
    assert (found, left) == (1, 0) and again == document


@pytest.mark.parametrize(
    ("size", "projection", "axis"),
    [
        ((60, 2, 40), "flat", "y"), ((60, 40, 2), "flat", "z"), ((3, 60, 40), "flat", "x"), ((50, 50, 50), "flat", "z"),
        ((40, 40, 90), "cylinder", "z"), ((90, 40, 40), "cylinder", "x"), ((40, 90, 40), "axis", "y"), ((50, 50, 50), "cylinder", "z"),
    ],
)  # fmt: skip
def test_a_sheet_is_looked_at_through_its_thickness_and_a_round_part_along_its_axis(size, projection, axis):
    assert laying.natural_axis(np.array(size, float), projection) == axis


def test_a_picture_laid_flat_on_an_upright_sheet_is_seen_from_the_front_as_it_is(tmp_path):
    art = np.full((8, 8, 3), 255, np.uint8)
    art[:4, :4] = (255, 0, 0)
    Image.fromarray(art).save(tmp_path / "a.png")
    document, assets = one_part(box_mesh(20.0))
    document = edits.change_part(document, "ball", mesh=assets.add_mesh(sheet()))
    document, material_id = script.lay_picture(document, assets, "ball", tmp_path / "a.png", width_mm=40.0, projection="flat")
    lay = document.materials[material_id].lays[0]
    upper_left = place_on_lay(lay, np.array([-10.0, -1.0, 10.0]), np.array([0.0, -1.0, 0.0]))
    np.testing.assert_allclose(upper_left, (-10.0, 10.0), atol=1e-9)


def sheet():
    mesh = box_mesh(2.0)
    return mesh._replace(vertices=(mesh.vertices * np.array([20.0, 1.0, 20.0], np.float32)))
