"""Full spheres: where things lie on them, faces of a cube against the camera that sees the same, and what the file says of itself."""

import base64
import io
import re

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo.command.main import main
from aulmo.deliver.encoding import display_picture
from aulmo.deliver.panorama import FACES, cube_face, directions, level, sphere, write_cube, write_sphere
from aulmo.document import project_file
from aulmo.document.records import Camera, RenderSettings
from aulmo.errors import BadValue
from aulmo.trace.camera_rows import camera_row
from aulmo.trace.path.lens import camera_ray
from aulmo.trace.tracer import render
from shapes import shining_boxes

FEW = RenderSettings(stop="samples", samples=4, denoise=False)


def middle_of(mask: np.ndarray) -> tuple[float, float]:
    rows, columns = np.nonzero(mask)
    return float(columns.mean()), float(rows.mean())


def test_things_lie_where_they_are_seen_from_the_camera():
    document, assets = shining_boxes()
    made = sphere(document, assets, document.shots[0], 128, FEW)
    shown = display_picture(made)[..., :3]
    assert shown.shape == (64, 128, 3)
    x, y = middle_of((shown[..., 0] > 0.3) & (shown[..., 1] < 0.3))
    assert (x, y) == pytest.approx((63.5, 31.5), abs=0.7)  # ahead, and level though the camera looks up
    x, y = middle_of((shown[..., 1] > 0.3) & (shown[..., 0] < 0.3))
    assert (x, y) == pytest.approx((95.5, 31.5), abs=0.7)  # a quarter to the right


def test_the_faces_of_a_cube_are_what_a_camera_sees():
    document, assets = shining_boxes()
    made = sphere(document, assets, document.shots[0], 512, replace(FEW, samples=8))
    shown = display_picture(made)[..., :3]
    face = cube_face(shown, "front", 128)
    square = replace(document.shots[0], width=128, height=128)
    eye = Camera("c", "C", position=(0.0, 0.0, 0.0), target=(0.0, 50.0, 0.0), sensor_mm=36.0, focal_length_mm=18.0, depth_of_field=False)
    plain = replace(document, cameras={"c": eye})
    seen = display_picture(render(plain, assets, square, (128, 128), replace(FEW, samples=8)))[..., :3]
    assert np.abs(face - seen).mean() < 0.01
    assert cube_face(shown, "right", 64)[32, 32, 1] > 0.5 and cube_face(shown, "left", 64).max() < 0.1
    for face_name in FACES:
        np.testing.assert_allclose(np.linalg.norm(directions(face_name, 8), axis=-1), 1.0)
    # neighbours meet: the right edge of the front is the left edge of the right
    np.testing.assert_allclose(directions("front", 400)[:, -1], directions("right", 400)[:, 0], atol=0.01)
    np.testing.assert_allclose(directions("front", 400)[0], directions("up", 400)[-1], atol=0.01)


def test_a_jpeg_says_that_it_is_a_full_sphere(tmp_path):
    document, assets = shining_boxes()
    made = sphere(document, assets, document.shots[0], 64, FEW)
    write_sphere(made, tmp_path / "a.jpg")
    blob = (tmp_path / "a.jpg").read_bytes()
    with Image.open(tmp_path / "a.jpg") as image:
        assert image.size == (64, 32) and image.format == "JPEG"
        told = image.info["xmp"].decode() if "xmp" in image.info else blob.decode("latin1")
    assert "equirectangular" in told and re.search(r'FullPanoWidthPixels="64"', told)
    assert [p.name for p in write_cube(made, tmp_path / "c.png")] == [f"c {face}.png" for face in FACES]
    with Image.open(tmp_path / "c front.png") as image:
        assert image.size == (16, 16)


def test_the_camera_is_set_level_and_odd_sizes_are_refused(tmp_path, capsys):
    steep = level(Camera("c", "C", position=(0.0, 0.0, 10.0), target=(0.0, 0.0, -50.0), roll=20.0))
    assert steep.target[2] == 10.0 and steep.roll == 0.0 and steep.projection == "panorama"
    document, assets = shining_boxes()
    with pytest.raises(BadValue, match="even number"):
        sphere(document, assets, document.shots[0], 33, FEW)
    project_file.save(document, assets, tmp_path / "p.aulmo")
    words = ["panorama", str(tmp_path / "p.aulmo"), "--width", "32", "--samples", "1", "--out"]
    assert main([*words, str(tmp_path / "a.png")]) == 0 and (tmp_path / "a.png").exists()
    for out, told in ((str(tmp_path / "a.bmp"), "should end in"), (str(tmp_path / "no" / "a.png"), "no folder")):
        assert main([*words, out]) == 2
        assert told in capsys.readouterr().err


# two eyes


def rays(eye_mm: float, at: list[tuple[float, float]]) -> tuple[np.ndarray, np.ndarray]:
    """Where the rays of a full sphere begin, and their ways, at places of the frame."""
    row = camera_row(Camera("c", "C", position=(5.0, 6.0, 7.0), target=(5.0, 60.0, 7.0), projection="panorama", eye_mm=eye_mm), 64, 32)
    found = np.array([camera_ray(row, x, y, 0.5, 0.5) for x, y in at])
    return found[:, :3] - (5.0, 6.0, 7.0), found[:, 3:]


def test_an_eye_lies_beside_the_middle_wherever_it_looks_and_in_it_at_the_poles():
    level_ones = [(x, y) for x in np.linspace(-0.99, 0.99, 9) for y in (-0.6, 0.0, 0.5)]
    left, way = rays(-32.0, level_ones)
    right, same = rays(32.0, level_ones)
    np.testing.assert_allclose(way, same)
    np.testing.assert_allclose(right, -left, atol=1e-9)
    np.testing.assert_allclose(np.linalg.norm(right, axis=1), 32.0, rtol=1e-6)
    np.testing.assert_allclose((right * way).sum(1), 0.0, atol=1e-4)  # at a right angle to what it looks at
    np.testing.assert_allclose(right[:, 2], 0.0, atol=1e-9)  # and level
    np.testing.assert_allclose(np.cross(way, right)[:, 2] < 0, True)  # to the right of it
    poles, _ = rays(32.0, [(x, y) for x in (-0.7, 0.1, 0.9) for y in (-1.0, -0.96, 0.96, 1.0)])
    np.testing.assert_allclose(poles, 0.0, atol=1e-9)
    falling = np.linalg.norm(rays(32.0, [(0.2, y) for y in np.linspace(0.6, 1.0, 40)])[0], axis=1)
    assert (np.diff(falling) <= 1e-9).all() and falling[0] == pytest.approx(32.0, rel=1e-6)


def test_near_things_differ_between_the_eyes_as_they_should():
    document, assets = shining_boxes()
    made = sphere(document, assets, document.shots[0], 512, FEW, layout="top-bottom", eyes_mm=64.0)
    shown = display_picture(made)[..., :3]
    assert shown.shape == (512, 512, 3)
    red = (shown[..., 0] > 0.3) & (shown[..., 1] < 0.3)
    left, right = middle_of(red[:256])[0], middle_of(red[256:])[0]
    # an eye's way to what is d away is turned by asin(32 / d); the box lies 90 to 110 mm away, and the left eye sees it further right
    nearest, farthest = (2 * np.degrees(np.arcsin(32 / d)) for d in (90.0, 110.0))
    assert farthest < (left - right) / 512 * 360 < nearest
    beside = sphere(document, assets, document.shots[0], 64, FEW, layout="left-right", eyes_mm=64.0)
    assert beside.rgb.shape == (32, 128, 3)
    above = sphere(document, assets, document.shots[0], 64, FEW, layout="top-bottom", eyes_mm=64.0)
    np.testing.assert_array_equal(above.rgb[:32], beside.rgb[:, :64])
    np.testing.assert_array_equal(above.rgb[32:], beside.rgb[:, 64:])


def test_a_file_of_two_eyes_says_how_they_lie_and_a_page_holds_all_it_needs(tmp_path):
    document, assets = shining_boxes()
    made = sphere(document, assets, document.shots[0], 64, FEW, layout="left-right")
    write_sphere(made, tmp_path / "a.jpg", layout="left-right")
    with Image.open(tmp_path / "a.jpg") as image:
        assert image.size == (128, 32) and 'StereoMode="left-right"' in image.info["xmp"].decode()
    write_sphere(made, tmp_path / "look.html", {"ImageDescription": "Odrel </script> & Wick"}, layout="left-right")
    text = (tmp_path / "look.html").read_text()
    assert "Odrel &lt;/script&gt; &amp; Wick" in text and not re.search(r"(src|href)=|https?://", text)
    blob = base64.b64decode(re.search(r"data:image/jpeg;base64,([^\"]+)", text)[1])
    with Image.open(io.BytesIO(blob)) as image:
        assert image.size == (128, 32)


@pytest.mark.parametrize("words, sentence", [
    (["--stereo", "--cube", "--out", "a.png"], "The faces of a cube are for one eye"),
    (["--stereo", "--eyes", "0", "--out", "a.png"], "The eyes are some millimetres from each other"),
    (["--width", "63", "--out", "a.html"], "an even number of pixels"),
    (["--out", "a.docx"], "a.docx"),
])  # fmt: skip
def test_a_sphere_that_cannot_be_is_said_at_once(words, sentence, tmp_path, capsys):
    document, assets = shining_boxes()
    project_file.save(document, assets, tmp_path / "p.aulmo")
    words = [str(tmp_path / w) if w.startswith("a.") else w for w in words]
    assert main(["panorama", str(tmp_path / "p.aulmo"), *words]) == 2
    assert sentence in capsys.readouterr().err and not list(tmp_path.glob("a.*"))


def test_the_command_writes_both_eyes(tmp_path):
    document, assets = shining_boxes()
    project_file.save(document, assets, tmp_path / "p.aulmo")
    words = ["panorama", str(tmp_path / "p.aulmo"), "--stereo", "--width", "32", "--samples", "1", "--raw", "--out"]
    assert main([*words, str(tmp_path / "both.png")]) == 0
    with Image.open(tmp_path / "both.png") as image:
        assert image.size == (32, 32)
    assert main([*words, str(tmp_path / "both.png")[:-3] + "html"]) == 0 and "top-bottom" in (tmp_path / "both.html").read_text()
