"""Files of every type read back by other readers: depth, alpha, colours, what made them; layers and parts."""

import io
import zipfile
from xml.etree import ElementTree

import numpy as np
import OpenImageIO as oiio
import pytest
from msgspec.structs import replace
from PIL import Image, ImageCms

from aulmo.deliver.encoding import display_picture
from aulmo.deliver.picture_file import FILE_TYPES, write_picture
from aulmo.deliver.profiles import SPACES, in_space, profile, to_xyz
from aulmo.document.records import Backdrop, RenderSettings, Surface
from aulmo.errors import BadValue
from aulmo.surface.colour import ACESCG_TO_SRGB
from aulmo.trace.tracer import render
from shapes import one_part, sphere_mesh

ALL = RenderSettings(stop="samples", samples=8, passes=("paths", "shadow", "mattes"))


@pytest.fixture(scope="module")
def picture():
    """A red ball on a plain floor, with passes; its corner cut out to nothing."""
    document, assets = one_part(sphere_mesh(), Surface(base_color=(0.7, 0.1, 0.05)), floor="plain")
    document = replace(document, backdrop=Backdrop(kind="colour", top=(0.4, 0.4, 0.4)))
    made = render(document, assets, document.shots[0], (64, 48), ALL)
    alpha = made.alpha.copy()
    alpha[:10, :10] = 0.5
    return made._replace(alpha=alpha, rgb=made.rgb * alpha[..., None])


def wrote(picture, path, kind, **settings):
    write_picture(picture, path, kind, {"Software": "Aulmo", "ImageDescription": "Wick: Hero"}, replace(RenderSettings(), **settings))
    return path


@pytest.mark.parametrize("kind", [k for k in FILE_TYPES if not k.startswith("exr") and k != "ora"])
def test_every_flat_type_holds_the_view_its_profile_and_what_made_it(picture, tmp_path, kind):
    path = wrote(picture, tmp_path / f"a{FILE_TYPES[kind].ending}", kind, dpi=300)
    held = oiio.ImageBuf(str(path))
    spec = held.spec()
    assert {"png16": "uint16", "tif": "uint16", "tif32": "float"}.get(kind, "uint8") == str(spec.format)
    assert spec.nchannels == (3 if kind == "jpg" else 4)
    if kind != "tif32":
        with Image.open(path) as image:
            assert ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(image.info["icc_profile"]))).strip() == "sRGB"
            if kind != "webp":
                assert [round(float(v)) for v in image.info["dpi"]] == [300, 300]
    else:
        assert bytes(spec.getattribute("ICCProfile")) == profile("sRGB")
    wanted = display_picture(picture)[20:, 20:, :3]
    seen = held.get_pixels(oiio.FLOAT)[20:, 20:, :3]
    assert np.abs(seen - wanted).mean() < (0.03 if kind in ("jpg", "webp") else 0.004)


def test_profiles_are_right_to_another_colour_engine(picture, tmp_path):
    codes = np.random.default_rng(3).random((16, 16, 3)).astype(np.float32)
    wide = np.rint(in_space(codes, "Display P3") * 255).astype(np.uint8)
    p3 = ImageCms.ImageCmsProfile(io.BytesIO(profile("Display P3")))
    to_srgb = ImageCms.buildTransform(p3, ImageCms.createProfile("sRGB"), "RGB", "RGB", ImageCms.Intent.RELATIVE_COLORIMETRIC)
    back = np.asarray(ImageCms.applyTransform(Image.fromarray(wide), to_srgb)).astype(int)
    off = np.abs(back - np.rint(codes * 255))  # two roundings to 8 bit, steepest where it is dark
    assert off.mean() < 0.7 and off.max() <= 8 and np.abs(wide.astype(int) - np.rint(codes * 255)).max() > 10
    own = ImageCms.buildTransform(ImageCms.ImageCmsProfile(io.BytesIO(profile("sRGB"))), ImageCms.createProfile("sRGB"), "RGB", "RGB")
    same = np.asarray(ImageCms.applyTransform(Image.fromarray(np.rint(codes * 255).astype(np.uint8)), own)).astype(int)
    assert np.abs(same - np.rint(codes * 255)).max() <= 1
    # the three spaces against the matrix that light is shown by
    for matrix in (np.linalg.inv(to_xyz(SPACES["sRGB"])) @ _bradford() @ to_xyz(SPACES["ACEScg"]),):
        np.testing.assert_allclose(matrix, ACESCG_TO_SRGB, atol=2e-3)
    path = wrote(picture, tmp_path / "a.png", "png", profile="Display P3")
    with Image.open(path) as image:
        assert "Display P3" in ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(image.info["icc_profile"])))


def _bradford():
    from aulmo.deliver.profiles import _xyz, adapted

    return adapted(_xyz(SPACES["ACEScg"].white), _xyz(SPACES["sRGB"].white))


def test_alpha_is_straight_or_premultiplied_as_told(picture, tmp_path):
    straight = _read(wrote(picture, tmp_path / "s.tif", "tif32"))
    multiplied = _read(wrote(picture, tmp_path / "m.tif", "tif32", alpha="premultiplied"))
    np.testing.assert_allclose(straight[:10, :10, :3] * 0.5, multiplied[:10, :10, :3], atol=1e-5)
    np.testing.assert_allclose(straight[20:, 20:], multiplied[20:, 20:], atol=1e-6)


def _read(path):
    """Pixels as they lie in a TIFF."""
    config = oiio.ImageSpec()
    config.attribute("oiio:UnassociatedAlpha", 1)
    held = oiio.ImageInput.open(str(path), config)
    pixels = np.asarray(held.read_image("float"))
    held.close()
    return pixels


def test_light_itself_goes_into_float_files_alone(picture, tmp_path):
    light = _read(wrote(picture, tmp_path / "l.tif", "tif32", profile="ACEScg"))
    np.testing.assert_allclose(light[20:, 20:, :3], (picture.rgb / picture.white)[20:, 20:], atol=1e-5)
    with pytest.raises(BadValue, match="ACEScg is light itself"):
        wrote(picture, tmp_path / "l.png", "png", profile="ACEScg")
    assert not (tmp_path / "l.png").exists()


def test_quality_makes_smaller_files(picture, tmp_path):
    for kind in ("jpg", "webp"):
        small, large = (wrote(picture, tmp_path / f"{q}{FILE_TYPES[kind].ending}", kind, quality=q) for q in (50, 98))
        assert small.stat().st_size < 0.75 * large.stat().st_size


def test_an_exr_has_one_part_or_one_for_each_layer(picture, tmp_path):
    one = oiio.ImageInput.open(str(wrote(picture, tmp_path / "one.exr", "exr")))
    assert one.seek_subimage(0, 0) and not one.seek_subimage(1, 0)
    several = oiio.ImageInput.open(str(wrote(picture, tmp_path / "parts.exr", "exr32", exr_parts=True)))
    names, k = [], 0
    while several.seek_subimage(k, 0):
        names.append(several.spec()["oiio:subimagename"])
        k += 1
    assert names[0] == "rgba" and {"raw", "albedo", "path.diffuse_direct"} <= set(names) or len(names) > 6
    several.seek_subimage(0, 0)
    np.testing.assert_allclose(np.asarray(several.read_image(0, 0, 0, 4, "float"))[..., :3], picture.rgb / picture.white, rtol=1e-5, atol=1e-6)


def test_a_layered_file_opens_as_the_standard_says(picture, tmp_path):
    path = wrote(picture, tmp_path / "a.ora", "ora")
    with zipfile.ZipFile(path) as archive:
        assert archive.namelist()[0] == "mimetype" and archive.read("mimetype") == b"image/openraster"
        assert archive.getinfo("mimetype").compress_type == zipfile.ZIP_STORED
        root = ElementTree.fromstring(archive.read("stack.xml"))
        assert (root.get("w"), root.get("h")) == ("64", "48")
        layers = root.find("stack").findall("layer")
        names = [layer.get("name") for layer in layers]
        assert names[-1] == "Beauty" and "Part Ball" in names and "Shadow" in names and any(n.startswith("path ") for n in names)
        assert [layer.get("visibility") for layer in layers].count("visible") == 1
        matte = np.asarray(Image.open(io.BytesIO(archive.read(layers[names.index("Part Ball")].get("src")))))
        assert matte[..., 3].max() > 250 and matte[2, 62, 3] < 5
        merged = np.asarray(Image.open(io.BytesIO(archive.read("mergedimage.png")))).astype(float) / 255
        assert np.abs(merged[20:, 20:, :3] - display_picture(picture)[20:, 20:, :3]).max() < 0.01
        assert max(Image.open(io.BytesIO(archive.read("Thumbnails/thumbnail.png"))).size) <= 256
