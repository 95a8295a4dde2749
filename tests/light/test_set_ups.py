"""Whole set-ups in files, the dome as an EXR, lights as pictures, and messy HDR files."""

import os

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo import script
from aulmo.document import apart
from aulmo.document.assets import AssetStore
from aulmo.document.records import Document, Environment, Lamp, Part, Softbox
from aulmo.errors import BadFile, BadValue, CannotWrite
from aulmo.light import environment_image, light_pictures
from aulmo.light.dome_map import direction


def write(path, pixels, kind="float", tile=0):
    import OpenImageIO as oiio

    pixels = np.ascontiguousarray(pixels)
    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], pixels.shape[2], kind)
    if tile:
        spec.tile_width = spec.tile_height = tile
    out = oiio.ImageOutput.create(str(path))
    assert out.open(str(path), spec)
    if tile:
        assert out.write_image(pixels)
    else:
        assert out.write_image(pixels)
    out.close()
    return path


def read(path):
    import OpenImageIO as oiio

    source = oiio.ImageInput.open(str(path))
    spec = source.spec()
    pixels = np.asarray(source.read_image("float")).reshape(spec.height, spec.width, -1)
    source.close()
    return pixels


def lit(assets, tmp_path):
    own = assets.add(write(tmp_path / "own.exr", np.ones((8, 8, 3), np.float32)).read_bytes(), ".exr")
    boxes = (Softbox("a", "Own", kind="picture", picture=own, shipped=False), Softbox("b", "On it", stays_with="part", part="p"))
    return Document(
        parts={"p": Part("p", "Product")}, roots=("p",), environment=Environment(kind="colour", softboxes=boxes),
        lamps={"l": Lamp("l", "Key", lights=("p",), kelvin=3200.0)},
    )  # fmt: skip


def test_a_set_up_goes_to_a_file_and_lights_another_project(tmp_path):
    assets = AssetStore()
    document = lit(assets, tmp_path)
    script.save_set_up(document, assets, tmp_path / "warm.aulmolight")
    others, theirs = Document(parts={"q": Part("q", "Other")}, roots=("q",)), AssetStore()
    made = script.load_set_up(others, theirs, tmp_path / "warm.aulmolight")
    assert made.parts is others.parts
    first, second = made.environment.softboxes
    assert first == document.environment.softboxes[0] and theirs.get(first.picture) == assets.get(first.picture)
    assert (second.stays_with, second.part) == ("scene", None) and made.lamps["l"].lights == ()
    assert made.lamps["l"].kelvin == 3200.0


def test_a_file_that_is_no_set_up_gets_a_sentence(tmp_path):
    (tmp_path / "x.aulmolight").write_bytes(b"no zip at all")
    with pytest.raises(BadFile, match="x.aulmolight"):
        script.load_set_up(Document(), AssetStore(), tmp_path / "x.aulmolight")
    with pytest.raises(BadFile, match="no file"):
        script.load_set_up(Document(), AssetStore(), tmp_path / "gone.aulmolight")


def test_the_dome_is_written_as_light_that_can_be_opened_again(tmp_path):
    box = Softbox("b", "B", azimuth=60, elevation=20, width=30, height=30, stops=3, hot=0.0, edge=0.0)
    document = Document(environment=Environment(kind="colour", colour=(0.1, 0.1, 0.1), softboxes=(box,)))
    script.save_dome(document, AssetStore(), tmp_path / "dome.exr", 256)
    pixels = read(tmp_path / "dome.exr")
    assert pixels.shape == (128, 256, 3)
    d = direction(60, 20)
    column = int((0.5 + np.arctan2(d[0], d[1]) / (2 * np.pi)) * 256)
    row = int(np.arccos(d[2]) / np.pi * 128)
    assert pixels[row, column, 1] == pytest.approx(955 * 8 / 1000, rel=0.02)
    assert pixels[row, (column + 128) % 256, 1] == pytest.approx(0.0955, rel=0.02)
    bright = (pixels[..., 1] > 2).mean(1)
    assert 0 < bright.max() < 0.12
    assert environment_image.read_pixels(tmp_path / "dome.exr").shape == (128, 256, 3)


@pytest.mark.parametrize("width", [0, 100001, 333, 20000, 2.5, True])
def test_a_dome_of_impossible_size_is_refused(tmp_path, width):
    with pytest.raises(BadValue, match="width of a dome"):
        script.save_dome(Document(), AssetStore(), tmp_path / "dome.exr", width)
    assert not list(tmp_path.iterdir())


def test_a_folder_that_takes_no_files_is_said(tmp_path):
    with pytest.raises(CannotWrite, match="dome.exr"):
        script.save_dome(Document(environment=Environment(kind="colour")), AssetStore(), tmp_path / "gone" / "dome.exr", 128)


@pytest.mark.parametrize("name", light_pictures.PICTURES)
def test_every_shipped_light_picture_is_light_with_a_cover(name):
    pixels = light_pictures.shipped(name)
    assert pixels.shape == (512, 512, 4) and np.isfinite(pixels).all() and pixels.min() >= 0
    assert 0.5 < pixels[..., :3].max() < 4 and pixels[..., 3].max() == pytest.approx(1.0, abs=0.01)
    assert pixels[..., 1].std() > 0.02  # something is to be seen on it


def test_numbers_that_are_none_and_light_below_zero_are_mended_and_said(tmp_path):
    pixels = np.ones((16, 32, 3), np.float32)
    pixels[3, 4], pixels[5, 6], pixels[7, 8] = np.nan, np.inf, -2.0
    got = environment_image.read_light(write(tmp_path / "messy.exr", pixels))
    assert np.isfinite(got.pixels).all() and got.pixels.min() >= 0
    assert any("2 pixels without a number" in n for n in got.notes) and any("below zero" in n for n in got.notes)


def test_a_picture_of_a_display_lights_but_is_said_to_have_no_range(tmp_path):
    got = environment_image.read_light(write(tmp_path / "snap.jpg", np.full((16, 32, 3), 128, np.uint8), "uint8"))
    assert any("no range" in n for n in got.notes)
    assert got.pixels.mean() == pytest.approx(0.216, abs=0.01)  # 128 made linear


@pytest.mark.parametrize("tile", [0, 64])
def test_a_wide_picture_is_averaged_down_while_it_is_read(tmp_path, tile):
    rng = np.random.default_rng(3)
    pixels = rng.random((150, 300, 3), dtype=np.float32)
    got = environment_image.read_light(write(tmp_path / "wide.exr", pixels, tile=tile), widest=100).pixels
    assert got.shape == (50, 100, 3)
    np.testing.assert_allclose(got, pixels.reshape(50, 3, 100, 3, 3).mean((1, 3)), atol=1e-5)


def test_a_very_wide_picture_is_kept_no_wider_than_it_is_ever_seen(tmp_path, monkeypatch):
    monkeypatch.setattr(environment_image, "WIDEST", 64)
    monkeypatch.setattr(apart, "inside", True)  # the other process knows nothing of it
    pixels = np.full((100, 200, 3), 3.0, np.float32)
    monkeypatch.setattr(environment_image.read_light.here, "__defaults__", (64,))
    blob, suffix, notes = environment_image.to_keep(write(tmp_path / "huge.hdr", pixels))
    assert suffix == ".exr" and any("200 pixels wide" in n and "50" in n for n in notes)
    (tmp_path / "kept.exr").write_bytes(blob)
    np.testing.assert_allclose(read(tmp_path / "kept.exr"), 3.0, rtol=0.02)
    blob, suffix, notes = environment_image.to_keep(write(tmp_path / "small.hdr", pixels[:30, :60]))
    assert suffix == ".hdr" and blob == (tmp_path / "small.hdr").read_bytes() and not notes


def test_grey_pictures_and_those_with_alpha_are_read(tmp_path):
    grey = environment_image.read_light(write(tmp_path / "grey.exr", np.full((8, 16, 1), 2.0, np.float32))).pixels
    assert (grey[..., :3] == 2.0).all()
    cut = np.zeros((8, 8, 4), np.float32)
    cut[:, 4:] = (0.5, 0.5, 0.5, 0.5)
    got = light_pictures.read(write(tmp_path / "cut.exr", cut))
    assert got[0, 0, 3] == 0 and got[0, 7, 3] == 0.5 and got[0, 7, 1] == pytest.approx(1.0, rel=0.02)


def test_a_blurred_ground_keeps_its_light_and_loses_its_edges():
    image = np.zeros((64, 128, 3), np.float32)
    image[20:30, 60:70] = 500.0
    sine = np.sin((np.arange(64) + 0.5) / 64 * np.pi)[:, None, None]
    for degrees in (4.0, 25.0):
        soft = environment_image.blurred(image, degrees)
        weight = np.sin((np.arange(len(soft)) + 0.5) / len(soft) * np.pi)[:, None, None]
        assert (soft * weight).mean() == pytest.approx((image * sine).mean(), rel=0.1)
        assert soft.max() < 500.0
    warm = environment_image.developed(image, 1.0, 3000.0, 0.0)
    assert warm[25, 65, 0] > warm[25, 65, 2] * 1.5
    assert environment_image.developed(image, 1.0, 6500.0, 0.0) is image


def test_nothing_is_left_behind_when_writing_is_given_up(tmp_path):
    from aulmo.trace.dome_file import save_dome

    save_dome(Document(environment=Environment(kind="colour")), AssetStore(), tmp_path / "dome.exr", 512, progress=lambda share: share < 0.3)
    assert os.listdir(tmp_path) == []
    assert replace(Environment(), blur=3.0).blur == 3.0
