"""Pictures of every common kind, whole and broken; their pyramids and what memory they take; SVG drawings; the colours of artwork."""

import io

import numpy as np
import OpenEXR
import OpenImageIO as oiio
import pytest
from hypothesis import given, settings, strategies as st
from PIL import Image

from aulmo.document.assets import AssetStore
from aulmo.document.records import Decal, Swap
from aulmo.errors import BadFile
from aulmo.surface import artwork
from aulmo.surface.colour import decode_srgb, from_hex
from aulmo.surface.picture import Pixels, coarser, decoding, make_texture, read_picture
from aulmo.trace.pattern.programs import ProgramBook

RED_BLUE = np.zeros((32, 48, 3), np.uint8)
RED_BLUE[:, :24, 0] = 250
RED_BLUE[:, 24:, 2] = 240


def blob_of(image: Image.Image, kind: str, **more) -> bytes:
    out = io.BytesIO()
    image.save(out, kind, **more)
    return out.getvalue()


def shares(pixels: Pixels) -> np.ndarray:
    """(h, w, c) 0..1 as a display shows it."""
    if pixels.meaning == "half":
        return decoding("half", 16)[pixels.codes]
    return pixels.codes / float(np.iinfo(pixels.codes.dtype).max)


@pytest.mark.parametrize(
    ("kind", "more", "near"),
    [("PNG", {}, 0), ("JPEG", {"quality": 98}, 0.05), ("TIFF", {}, 0), ("WEBP", {"lossless": True}, 0), ("BMP", {}, 0), ("GIF", {}, 0.02)],
)
def test_common_kinds_are_read_as_they_are(kind, more, near):
    pixels = read_picture(blob_of(Image.fromarray(RED_BLUE), kind, **more), f"a.{kind.lower()}")
    assert (pixels.width, pixels.height) == (48, 32) and pixels.codes.dtype == np.uint8
    np.testing.assert_allclose(shares(pixels)[:, [4, 40], :3].mean(0), RED_BLUE[0, [4, 40]] / 255, atol=near + 1e-6)


def test_sixteen_bits_stay_sixteen(tmp_path):
    image = np.linspace(0, 65535, 64 * 4).astype(np.uint16).reshape(4, 64, 1)
    for name in ("a.tif", "a.png"):
        out = oiio.ImageOutput.create(str(tmp_path / name))
        out.open(str(tmp_path / name), oiio.ImageSpec(64, 4, 1, "uint16"))
        out.write_image(image)
        out.close()
        pixels = read_picture((tmp_path / name).read_bytes(), name)
        assert pixels.codes.dtype == np.uint16
        np.testing.assert_array_equal(pixels.codes, image)


def test_exr_keeps_what_is_brighter_than_white_and_its_alpha_is_taken_apart(tmp_path):
    rgba = np.zeros((4, 4, 4), np.float16)
    rgba[..., 0], rgba[..., 3] = 4.0, 0.5  # associated: a red of 8
    with OpenEXR.File({"type": OpenEXR.scanlineimage}, {"RGBA": rgba}) as file:
        file.write(str(tmp_path / "a.exr"))
    pixels = read_picture((tmp_path / "a.exr").read_bytes(), "a.exr")
    np.testing.assert_allclose(shares(pixels)[0, 0], (8.0, 0, 0, 0.5), atol=1e-2)
    texture = make_texture(pixels, True)
    assert texture.sees_through and texture.decode[pixels.codes[0, 0, 0]] == pytest.approx(8.0)


def test_a_wrong_ending_a_palette_one_bit_and_cmyk_are_read():
    assert read_picture(blob_of(Image.fromarray(RED_BLUE), "PNG"), "really.jpg").codes.shape[:2] == (32, 48)
    palette = Image.fromarray(RED_BLUE).quantize(4)
    np.testing.assert_allclose(shares(read_picture(blob_of(palette, "PNG"), "p.png"))[0, 4, :3], RED_BLUE[0, 4] / 255, atol=0.02)
    bits = Image.fromarray(RED_BLUE[..., 0]).convert("1")
    assert set(np.unique(read_picture(blob_of(bits, "PNG"), "b.png").codes)) <= {0, 255}
    cmyk = read_picture(blob_of(Image.fromarray(RED_BLUE).convert("CMYK"), "JPEG", quality=95), "c.jpg")
    shown = shares(cmyk)[5, 5, :3]
    assert cmyk.codes.shape[2] == 3 and shown[0] > 0.6 and shown[2] < 0.3


def test_of_an_animated_picture_the_first_is_taken_and_told():
    frames = [Image.fromarray(np.full((8, 8, 3), v, np.uint8)) for v in (10, 120, 240)]
    out = io.BytesIO()
    frames[0].save(out, "GIF", save_all=True, append_images=frames[1:])
    pixels = read_picture(out.getvalue(), "a.gif")
    assert "first of its pictures" in pixels.note and shares(pixels)[..., 0].max() < 0.1


def test_dots_are_read_in_inches_and_in_centimetres():
    assert read_picture(blob_of(Image.fromarray(RED_BLUE), "PNG", dpi=(254, 254)), "a.png").dpi == pytest.approx(254, rel=1e-3)
    assert read_picture(blob_of(Image.fromarray(RED_BLUE), "JPEG", dpi=(300, 300)), "a.jpg").dpi == pytest.approx(300)
    assert read_picture(blob_of(Image.fromarray(RED_BLUE), "PNG"), "a.png").dpi == 0


@pytest.mark.parametrize("share", [0.02, 0.3, 0.7])
@pytest.mark.parametrize("kind", ["PNG", "JPEG", "TIFF", "WEBP"])
def test_a_picture_cut_short_is_a_sentence(kind, share):
    blob = blob_of(Image.fromarray(np.random.default_rng(1).integers(0, 255, (200, 200, 3)).astype(np.uint8)), kind)
    try:
        pixels = read_picture(blob[: int(share * len(blob))], f"torn.{kind.lower()}")
    except BadFile as error:
        assert "torn." in str(error) and str(error).endswith(".")
    else:
        assert pixels.codes.shape[:2] == (200, 200)  # what a format lets be read is read


@settings(max_examples=40, deadline=None)
@given(st.binary(max_size=400), st.sampled_from([".png", ".jpg", ".svg", ".exr", ".tif"]))
def test_any_bytes_are_a_picture_or_a_sentence(blob, ending):
    try:
        assert read_picture(blob, "x" + ending).codes.size > 0
    except BadFile as error:
        assert str(error).endswith(".")


def test_a_picture_larger_than_what_is_kept_comes_smaller(tmp_path):
    """A picture of 40,000 pixels along its side is read a strip at a time."""
    path = tmp_path / "wide.png"
    Image.new("L", (40_000, 64), 128).save(path)
    pixels = read_picture(path.read_bytes(), "wide.png", most_pixels=1 << 16)
    assert pixels.codes.shape[0] * pixels.codes.shape[1] <= 1 << 16 and "its size" in pixels.note
    assert (pixels.width, pixels.height) == (40_000, 64) and abs(int(pixels.codes[0, 0, 0]) - 128) <= 1


def test_a_pyramid_takes_a_third_more_than_the_picture_in_the_bits_of_the_file():
    pixels = read_picture(blob_of(Image.fromarray(np.tile(RED_BLUE, (8, 8, 1))), "PNG"), "a.png")
    texture = make_texture(pixels, True)
    assert texture.codes.dtype == np.uint8 and texture.bytes < 1.36 * pixels.codes.nbytes
    half = coarser(texture)
    assert half.levels[0][:2] == texture.levels[1][:2] and half.bytes < 0.3 * texture.bytes


def test_halving_is_in_light_and_clear_texels_lend_no_colour():
    image = np.zeros((2, 2, 4), np.uint8)
    image[0] = (255, 0, 0, 255)
    image[1] = (0, 255, 0, 0)  # green that is not there
    texture = make_texture(Pixels(image, "display", 0.0, 2, 2), True)
    assert tuple(texture.codes[-4:]) == (255, 0, 0, 128)
    grey = make_texture(Pixels(np.array([[[0], [255]]], np.uint8), "display", 0.0, 2, 1), True)
    assert decode_srgb(grey.codes[-1] / 255) == pytest.approx(0.5, abs=0.01)


def test_pictures_keep_within_their_budget_by_losing_their_finest_copies():
    assets = AssetStore()
    rng = np.random.default_rng(3)
    names = [assets.add(blob_of(Image.fromarray(rng.integers(0, 255, (256, 256, 3)).astype(np.uint8)), "PNG"), ".png") for _ in range(3)]
    book = ProgramBook(assets, most_bytes=400_000)
    book.begin()
    numbers = [book.number(n, True) for n in names]
    _, rows, held = book.tables()
    assert numbers == [0, 1, 2] and len(rows) == 3
    assert sum(t.bytes for t in held) <= 400_000 and min(t.levels[0][0] for t in held) >= 64


# drawings


def test_a_drawing_has_its_size_in_millimetres_and_is_as_sharp_as_asked():
    svg = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="38mm" height="22mm" viewBox="0 0 380 220"><rect width="190" height="220" fill="#f00"/></svg>'
    )
    for side in (300, 3000):
        pixels = read_picture(svg.encode(), "a.svg", long_side=side)
        assert pixels.width == side and pixels.width / pixels.dpi * 25.4 == pytest.approx(38.0)
        assert pixels.height == round(side * 22 / 38)
        half = int(np.argmax(pixels.codes[5, :, 3] < 128))
        assert half == pytest.approx(side / 2, abs=1)


def test_scripts_and_outside_pictures_of_a_drawing_are_never_run_or_fetched(tmp_path):
    secret = tmp_path / "secret.png"
    Image.new("RGB", (50, 50), (0, 255, 0)).save(secret)
    svg = f"""<?xml version="1.0"?><!DOCTYPE svg [<!ENTITY x SYSTEM "file://{secret}">]>
    <svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="50" height="50">
    <script>while(1);</script><rect width="50" height="50" fill="#ff0000"/>
    <image xlink:href="{secret}" width="50" height="50"/><image href="file://{secret}" width="50" height="50"/>
    <image href="http://127.0.0.1:9/x.png" width="50" height="50"/></svg>"""
    pixels = read_picture(svg.encode(), "a.svg", long_side=64)
    assert (pixels.codes[..., 0] > 250).all() and (pixels.codes[..., 1] < 5).all()


def test_letters_of_a_drawing_are_set_in_the_shipped_typeface():
    svg = '<svg xmlns="http://www.w3.org/2000/svg" width="100" height="40"><text x="5" y="30" font-size="30" fill="#000">Odrel</text></svg>'
    assert (read_picture(svg.encode(), "a.svg", long_side=200).codes[..., 3] > 128).mean() > 0.05


@pytest.mark.parametrize("shape", ["rectangle", "rounded", "round", "ring", "triangle", "hexagon", "star"])
def test_plain_shapes_fill_their_frame(shape):
    decal = Decal(id="d", name="D", artwork="shape", shape=shape, width_mm=20.0, height_mm=10.0)
    alpha = artwork.pixels_of(decal, AssetStore()).codes[..., 3] > 128
    rows, columns = np.flatnonzero(alpha.any(1)), np.flatnonzero(alpha.any(0))
    assert columns[-1] - columns[0] > 0.9 * alpha.shape[1] and rows[-1] - rows[0] > 0.8 * alpha.shape[0]
    share = {"rectangle": 1.0, "round": np.pi / 4, "triangle": 0.5}.get(shape)
    assert share is None or alpha.mean() == pytest.approx(share, abs=0.01)


# colours of artwork


def test_the_main_colours_are_found_and_replaced_one_by_one():
    body = '<rect width="60" height="40" fill="#102840"/><circle cx="30" cy="20" r="12" fill="#f0e0c0"/>'
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" width="60" height="40">{body}</svg>'
    pixels = read_picture(svg.encode(), "a.svg", long_side=120)
    found = artwork.main_colours(pixels)
    assert len(found) == 2
    np.testing.assert_allclose(found, [from_hex("#102840"), from_hex("#f0e0c0")], atol=0.01)
    new = (from_hex("#a01010"), from_hex("#ffffff"))
    shown = artwork.swapped(pixels, tuple(Swap(old=o, new=n) for o, n in zip(found, new))).codes
    np.testing.assert_allclose(shown[2, 2, :3], (160, 16, 16), atol=3)
    np.testing.assert_allclose(shown[40, 60, :3], (255, 255, 255), atol=3)
