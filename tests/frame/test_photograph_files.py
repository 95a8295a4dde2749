"""Photographs as cameras and programs write them: profiles, sixteen bits, EXR, turned ones, what their notes say; and those that are none."""

import io

import numpy as np
import pytest
from PIL import Image, ImageCms

from aulmo.document.assets import AssetStore
from aulmo.document.records import Document
from aulmo.errors import BadFile
from aulmo.frame import matching, photograph
from aulmo.surface.colour import decode_srgb

CODES = np.random.default_rng(3).integers(0, 256, (40, 60, 3), dtype=np.uint8)


def saved(tmp_path, name: str, **how) -> photograph.Photograph:
    path = tmp_path / name
    Image.fromarray(CODES).save(path, **how)
    return path


def read(path) -> tuple[photograph.Photograph, np.ndarray]:
    assets = AssetStore()
    found = photograph.read(path, assets)
    return found, photograph.codes(assets, found)


def test_a_plain_picture_keeps_every_code(tmp_path):
    found, codes = read(saved(tmp_path, "a.png"))
    assert (found.width, found.height, found.file) == (60, 40, "a.png")
    assert (codes == CODES).all()


@pytest.mark.parametrize("depth", ["uint16", "half"])
def test_sixteen_bits_and_light_itself_keep_more_than_eight(tmp_path, depth):
    import OpenImageIO as oiio

    values = np.random.default_rng(4).random((40, 60, 3)).astype(np.float32)
    path = tmp_path / ("a.tif" if depth == "uint16" else "a.exr")
    out = oiio.ImageOutput.create(str(path))
    out.open(str(path), oiio.ImageSpec(60, 40, 3, depth))
    out.write_image(values if depth == "uint16" else decode_srgb(values).astype(np.float32))
    out.close()
    _, codes = read(path)
    assert codes.dtype == np.float32 and np.abs(codes - values).max() < (2e-5 if depth == "uint16" else 2e-3)


def test_a_profile_is_followed(tmp_path):
    """A picture in Lab-made wide colours: green there is a stronger green here, and grey stays grey."""
    wide = ImageCms.ImageCmsProfile(io.BytesIO(_linear_profile()))
    path = tmp_path / "wide.png"
    codes = np.zeros((8, 8, 3), np.uint8)
    codes[:4], codes[4:] = (128, 128, 128), (64, 128, 64)
    Image.fromarray(codes).save(path, icc_profile=wide.tobytes())
    _, found = read(path)
    assert abs(int(found[0, 0, 0]) - 188) <= 2  # linear 0.5 is 188 in sRGB
    assert np.ptp(found[0, 0].astype(int)) <= 1


def _linear_profile() -> bytes:
    """A minimal matrix profile with sRGB's primaries and no curve (ICC.1:2022)."""
    import struct

    def s15(v):
        return struct.pack(">i", round(v * 65536))

    def xyz(*v):
        return b"XYZ \0\0\0\0" + b"".join(s15(x) for x in v)

    text = b"desc\0\0\0\0" + struct.pack(">I", 7) + b"Linear\0" + b"\0" * (4 + 4 + 2 + 1 + 67)
    curve = b"curv\0\0\0\0" + struct.pack(">I", 0)
    tags = {
        b"desc": text, b"cprt": b"text\0\0\0\0none\0", b"wtpt": xyz(0.9642, 1.0, 0.8249), b"rXYZ": xyz(0.43607, 0.22249, 0.01392),
        b"gXYZ": xyz(0.38515, 0.71687, 0.09708), b"bXYZ": xyz(0.14307, 0.06061, 0.7141), b"rTRC": curve, b"gTRC": curve, b"bTRC": curve,
    }  # fmt: skip
    place, table, body = 128 + 4 + 12 * len(tags), b"", b""
    for name, data in tags.items():
        data += b"\0" * (-len(data) % 4)
        table += name + struct.pack(">II", place + len(body), len(data))
        body += data
    head = struct.pack(">I4sI4s4s4s", place + len(body), b"none", 0x02400000, b"mntr", b"RGB ", b"XYZ ")
    head += struct.pack(">6H", 2026, 1, 1, 0, 0, 0) + b"acsp" + b"\0" * 28 + s15(0.9642) + s15(1.0) + s15(0.8249)
    head += b"\0" * (128 - len(head))
    return head + struct.pack(">I", len(tags)) + table + body


@pytest.mark.parametrize("orientation", range(1, 9))
def test_a_turned_picture_stands_upright(tmp_path, orientation):
    """As the notes say (EXIF 2.3), against PIL's own reading of them."""
    from PIL import ImageOps

    exif = Image.Exif()
    exif[274] = orientation
    path = saved(tmp_path, "turned.tif", exif=exif)
    found, codes = read(path)
    upright = np.asarray(ImageOps.exif_transpose(Image.open(path)).convert("RGB"))
    assert codes.shape == upright.shape == (found.height, found.width, 3)
    assert np.abs(codes.astype(int) - upright).mean() < 2


def test_the_lens_is_read_and_offered(tmp_path):
    exif = Image.Exif()
    inner = exif.get_ifd(0x8769)
    inner[0x920A], inner[0xA405] = 23.0, 35
    assets = AssetStore()
    found = photograph.read(saved(tmp_path, "a.jpg", exif=exif), assets)
    assert found.focal_mm == pytest.approx(23.0)
    # 35 of a full frame's diagonal: a sensor two thirds as large
    assert found.sensor_mm == pytest.approx(43.27 * 23 / 35 * 60 / np.hypot(60, 40), rel=1e-3)
    from aulmo.document.records import Camera, Shot

    document = Document(cameras={"c": Camera(id="c", name="c")}, shots=(Shot(id="s", name="s", camera="c"), Shot(id="o", name="o", camera="c")))
    document = matching.taken_in(document, "s", found)
    own = document.shots[0].camera
    assert own != "c", "a shot that gets a photograph gets a camera of its own"
    assert document.cameras[matching.with_lens_of_file(document, "s").shots[0].camera].id == own
    assert matching.with_lens_of_file(document, "s").cameras[own].focal_length_mm == pytest.approx(23.0)


@pytest.mark.parametrize("side", [2600, pytest.param(10000, marks=pytest.mark.long)])
def test_a_hundred_megapixels_are_kept_small_in_memory_and_whole_in_the_file(tmp_path, side):
    path = tmp_path / "huge.png"
    Image.fromarray(np.tile(CODES, (250, 167, 1))[:side, :side]).save(path, compress_level=1)
    assets = AssetStore()
    found = photograph.read(path, assets)
    assert (found.width, found.height) == (side, side)
    codes = photograph.codes(assets, found, 2048)
    assert max(codes.shape[:2]) <= 2048 and codes.nbytes < 20e6
    assert assets.get(found.image) == path.read_bytes()


@pytest.mark.parametrize("kind", ["words", "cut", "empty", "model.step", "gone"])
def test_what_is_no_photograph_gets_one_sentence(tmp_path, kind):
    path = saved(tmp_path, "a.png")
    if kind == "words":
        path.write_text("no picture")
    elif kind == "cut":
        path.write_bytes(path.read_bytes()[:200])
    elif kind == "empty":
        path.write_bytes(b"")
    elif kind == "gone":
        path.unlink()
    else:
        path = tmp_path / kind
        path.write_text("ISO-10303-21;")
    with pytest.raises(BadFile, match=path.name) as told:
        photograph.read(path, AssetStore())
    assert str(told.value).count(". ") == 0


def test_a_photograph_that_is_missing_at_reopening_is_told(tmp_path):
    found, _ = read(saved(tmp_path, "a.png"))
    photograph._kept.clear()
    with pytest.raises(BadFile, match="a.png is missing"):
        photograph.codes(AssetStore(), found)


def test_a_round_panorama_is_no_photograph_and_a_wide_one_is(tmp_path):
    x, y = np.linspace(0, 2 * np.pi, 400, endpoint=False), np.linspace(0, np.pi, 200)
    around = 128 + 100 * np.sin(y)[:, None] * np.sin(x)[None]
    Image.fromarray(np.repeat(around[..., None], 3, 2).astype(np.uint8)).save(tmp_path / "round.png")
    with pytest.raises(BadFile, match="panorama"):
        photograph.read(tmp_path / "round.png", AssetStore())
    wide = np.repeat(np.linspace(0, 255, 400)[None], 200, 0)
    Image.fromarray(np.repeat(wide[..., None], 3, 2).astype(np.uint8)).save(tmp_path / "wide.png")
    assert photograph.read(tmp_path / "wide.png", AssetStore()).width == 400
