"""Passes, mattes and kept states: parts that add up to the picture, files an independent reader understands."""

import json
import struct

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo.deliver.picture_file import write_picture
from aulmo.document import edits
from aulmo.document.records import Backdrop, Environment, Floor, Key, Lamp, Material, Part, Placement, RenderSettings, Surface
from aulmo.errors import BadFile, BadValue
from aulmo.trace.passes import PATH_NAMES, SETS, check, matte_float, matte_hash, murmur3
from aulmo.trace.placed import FLOOR_GAP
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import render
from shapes import box_mesh, one_part, sphere_mesh

ALL = tuple(SETS)


def still_life(**floor):
    """A glass ball, a brass ball, a waxen block and a glowing bead under a lamp and a dome."""
    document, assets = one_part(sphere_mesh(20.0, 48), Surface(transmission_weight=1.0, specular_roughness=0.0), position=(0.0, -260.0, 90.0))
    ball, block, bead = assets.add_mesh(sphere_mesh(18.0, 48)), assets.add_mesh(box_mesh(30.0)), assets.add_mesh(sphere_mesh(5.0, 24))
    for name, surface in (
        ("brass", Surface(base_metalness=1.0, base_color=(0.9, 0.7, 0.3), specular_roughness=0.3)),
        ("wax", Surface(subsurface_weight=1.0, subsurface_color=(0.8, 0.6, 0.4), subsurface_radius=3.0)),
        ("bead", Surface(emission_luminance=20000.0, base_weight=0.0)),
    ):
        document = edits.put_material(document, Material(id=name, name=name.title(), surface=surface))
    parts = [
        Part(id="b", name="Brass ball", mesh=ball, material="brass", placement=Placement((40, 10, 0))),
        Part(id="w", name="Block", mesh=block, material="wax", placement=Placement((-45, 10, 0))),
        Part(id="g", name="Bead", mesh=bead, material="bead", placement=Placement((20, -30, 10))),
    ]
    lamp = Lamp(id="k", name="Key", kind="disc", position=(-100, -100, 300), turn=(20, -15, 0), width=120, power=3000, group="Key")
    document = edits.add_parts(document, parts, ["b", "w", "g"])
    return replace(
        document, lamps={"k": lamp}, environment=Environment(exposure=-2.0), floor=Floor(height=-20.0, **floor),
        backdrop=Backdrop(kind="colour", top=(0.2, 0.2, 0.2)),
    ), assets  # fmt: skip


def rendered(document, assets, passes=ALL, samples=24, **settings):
    shot = document.shots[0]
    picture = render(document, assets, shot, (64, 48), RenderSettings(stop="samples", samples=samples, passes=passes, denoise=False, **settings))
    assert picture is not None
    return picture


@pytest.fixture(scope="module")
def whole():
    document, assets = still_life(kind="plain")
    return rendered(document, assets)


def test_the_picture_is_the_sum_of_its_ways(whole):
    total = sum(whole.passes.planes[f"path.{n}"] for n in PATH_NAMES)
    np.testing.assert_allclose(total, whole.raw, rtol=2e-5, atol=1e-3)
    for name in PATH_NAMES:
        if name != "background":
            assert np.abs(whole.passes.planes[f"path.{name}"]).max() > 0, name


def test_the_picture_is_the_sum_of_its_light_groups(whole):
    groups = {k: v for k, v in whole.passes.planes.items() if k.startswith("group.")}
    assert set(groups) == {"group.Environment", "group.Glow", "group.Key"}
    np.testing.assert_allclose(sum(groups.values()), whole.raw, rtol=2e-5, atol=1e-3)


def test_a_group_is_what_its_lamps_give_alone():
    document, assets = still_life(kind="plain")
    together = rendered(document, assets, ("groups",), 96).passes.planes["group.Key"]
    dark = edits.put_material(document, replace(document.materials["bead"], surface=Surface(base_weight=0.0)))
    alone = replace(dark, environment=Environment(exposure=-40.0), backdrop=Backdrop(kind="colour", top=(0, 0, 0)))
    assert together.mean() == pytest.approx(rendered(alone, assets, (), 96).raw.mean(), rel=0.03)


def test_a_shadow_floor_keeps_the_sum():
    document, assets = still_life(kind="shadow")
    picture = rendered(document, assets, ("paths", "groups", "shadow"))
    np.testing.assert_allclose(sum(picture.passes.planes[f"path.{n}"] for n in PATH_NAMES), picture.raw, rtol=2e-5, atol=1e-3)
    assert picture.passes.planes["shadow"].max() > 0.2


def test_passes_do_not_change_the_picture():
    document, assets = still_life(kind="plain")
    np.testing.assert_array_equal(rendered(document, assets, ()).raw, rendered(document, assets, ALL).raw)


def test_surface_passes_say_where_and_which_way(whole):
    planes = whole.passes.planes
    covered = planes["depth"][..., 0] < 1e9
    position = planes["position"][covered]
    camera = np.array([0.0, -260.0, 90.0])
    # depth is the distance from the lens, up to mixing at edges
    gap = np.abs(np.linalg.norm(position - camera, axis=1) - planes["depth"][covered][:, 0])
    assert np.median(gap) < 1e-2
    assert np.allclose(np.linalg.norm(planes["normal_first"][covered], axis=1), 1.0, atol=1e-3)
    document, assets = still_life(kind="plain")
    scene = SceneBuilder(assets).build(document)
    height = -20 - FLOOR_GAP * np.linalg.norm(scene.high - scene.low)  # a hair below what stands on it
    floor = covered & (np.abs(planes["position"][..., 2] - height) < 1e-3)
    assert floor.sum() > 100
    np.testing.assert_allclose(planes["normal_first"][floor][:, 2], 1.0, atol=1e-3)
    facing = planes["facing"][floor][:, 0]
    toward = camera - planes["position"][floor]
    np.testing.assert_allclose(facing, toward[:, 2] / np.linalg.norm(toward, axis=1), atol=0.01)


def test_occlusion_is_open_on_a_bare_floor_and_closed_in_a_corner(whole):
    open_ = whole.passes.planes["occlusion"][-3:, :, 0].mean()
    assert open_ > 0.75
    assert whole.passes.planes["occlusion"].min() < 0.55


def test_samples_and_noise_are_told(whole):
    assert (whole.passes.planes["samples"] == 24).all()
    assert whole.passes.planes["noise"].mean() > 0


# mattes


@pytest.mark.parametrize(
    "text, value", [("", 0), ("a", 0x3C2569B2), ("hello", 0x248BFA47), ("The quick brown fox jumps over the lazy dog", 0x2E4FF723)]
)
def test_the_hash_is_murmur3(text, value):
    assert murmur3(text) == value


def test_names_never_hash_to_infinities_or_denormals():
    for k in range(5000):
        bits = matte_hash(f"part {k}")
        assert 0 < (bits >> 23) & 255 < 255
        assert struct.pack("<f", matte_float(f"part {k}")) == struct.pack("<I", bits)


def coverage(picture, layer: str, name: str) -> np.ndarray:
    total = np.zeros(picture.raw.shape[:2])
    for pair in range(3):
        plane = picture.passes.planes[f"{layer}{pair:02d}"]
        for k in (0, 2):
            total += np.where(plane[..., k] == np.float32(matte_float(name)), plane[..., k + 1], 0.0)
    return total


def test_a_matte_covers_its_part_and_all_mattes_cover_all(whole):
    brass = coverage(whole, "MattePart", "Brass ball")
    np.testing.assert_allclose(brass, coverage(whole, "MatteMaterial", "Brass"), atol=1e-6)
    # a ball of 18 mm at its distance, as a share of the frame
    assert 40 < brass.sum() < 400
    total = sum(coverage(whole, "MattePart", n) for n in ("Ball", "Brass ball", "Block", "Bead", "Floor"))
    assert total.max() <= 1 + 1e-6
    assert total[-4:].min() > 0.99


def test_ranks_fall_from_the_most_covering(whole):
    plane = whole.passes.planes["MattePart00"]
    assert (plane[..., 1] >= plane[..., 3]).all()
    assert (plane[..., 3] >= whole.passes.planes["MattePart01"][..., 1]).all()


def test_an_independent_reader_finds_every_layer_and_the_manifest(whole, tmp_path):
    import OpenEXR

    write_picture(whole, tmp_path / "a.exr", "exr")
    with OpenEXR.File(str(tmp_path / "a.exr"), separate_channels=True) as file:
        header, channels = file.header(), file.channels()
        for name in ("R", "A", "path.diffuse_direct.G", "group.Key.B", "depth.Z", "position.X", "normal_first.Z", "shadow.Y", "MattePart00.A"):
            assert name in channels, name
        assert channels["MattePart00.R"].pixels.dtype == np.float32
        assert channels["R"].pixels.dtype == np.float16
        np.testing.assert_array_equal(channels["MattePart00.R"].pixels, whole.passes.planes["MattePart00"][..., 0])
        key = next(k for k, v in header.items() if k.startswith("cryptomatte/") and v == "MattePart").rsplit("/", 1)[0]
        assert len(key.split("/")[1]) == 7
        assert header[f"{key}/hash"] == "MurmurHash3_32" and header[f"{key}/conversion"] == "uint32_to_float32"
        manifest = json.loads(header[f"{key}/manifest"])
        assert manifest["Brass ball"] == f"{matte_hash('Brass ball'):08x}"
        # the light's ways still add up after the file, to half floats' rounding
        total = sum(channels[f"path.{n}.G"].pixels.astype(float) for n in PATH_NAMES)
        np.testing.assert_allclose(total, channels["raw.G"].pixels.astype(float), rtol=5e-3, atol=2e-3)


def test_mattes_are_found_by_a_reader_of_another_make(whole, tmp_path):
    """Only the open specification, a library for files and one for its hash: which layers hold mattes, what a name is there, and where it is."""
    import mmh3
    import OpenImageIO as oiio

    write_picture(whole, tmp_path / "a.exr", "exr")
    held = oiio.ImageInput.open(str(tmp_path / "a.exr"))
    spec = held.spec()
    pixels = np.asarray(held.read_image(0, 0, 0, spec.nchannels, "float"))
    names = list(spec.channelnames)
    told = {a.name: a.value for a in spec.extra_attribs if a.name.startswith("cryptomatte/")}
    kinds = {value: key.rsplit("/", 1)[0] for key, value in told.items() if key.endswith("/name")}
    assert {"MattePart", "MatteMaterial"} <= set(kinds)

    def called(name: str) -> np.float32:
        """The specification's name of a thing as a float: its hash, kept from being no number by an exponent of neither all zeros nor all ones."""
        bits = mmh3.hash(name, 0, signed=False)
        if (bits >> 23) & 255 in (0, 255):
            bits ^= 1 << 23
        return np.uint32(bits).view(np.float32)

    def seen(kind: str, name: str) -> np.ndarray:
        found = np.zeros(pixels.shape[:2])
        for first, second in (("R", "G"), ("B", "A")):
            for rank in range(6):
                layer = f"{kind}{rank:02d}"
                if f"{layer}.{first}" in names:
                    ids, shares = (pixels[..., names.index(f"{layer}.{c}")] for c in (first, second))
                    found += np.where(ids == called(name), shares, 0)
        return found

    for kind, name in (("MattePart", "Brass ball"), ("MatteMaterial", "Brass"), ("MattePart", "Block")):
        manifest = json.loads(told[f"{kinds[kind]}/manifest"])
        assert int(manifest[name], 16) == int(called(name).view(np.uint32))
        np.testing.assert_allclose(seen(kind, name), coverage(whole, kind, name), atol=1e-6)
        assert seen(kind, name).max() > 0.99
    for name in ("Ölkanne", "Ручка", "提灯", "", "x" * 300, *(f"Bolt {k}" for k in range(3000))):
        assert matte_hash(name) == int(called(name).view(np.uint32)), name


def test_motion_vectors_point_where_a_part_goes():
    document, assets = still_life(kind="plain")
    document = replace(document, keys={"parts/b/placement/position": (Key(0.0, (40.0, 10.0, 0.0)), Key(1.0, (40.0 + 250.0, 10.0, 0.0)))})
    picture = rendered(document, assets, ("motion", "mattes"))
    inside = coverage(picture, "MattePart", "Brass ball") > 0.999
    vectors = picture.passes.planes["motion"]
    # 250 mm a second are 10 mm to the next of 25 frames: at 275 mm and 85 mm on a 36 mm sensor 64 pixels wide
    expected = 10 / 275 * 85 / 36 * 64
    assert vectors[inside][:, 0].mean() == pytest.approx(expected, rel=0.1)
    assert np.abs(vectors[inside][:, 1]).max() < 0.3
    assert np.abs(vectors[coverage(picture, "MattePart", "Block") > 0.999]).max() < 1e-3


def test_groups_can_be_denoised_one_by_one():
    document, assets = still_life(kind="plain")
    shot = document.shots[0]
    settings = RenderSettings(stop="samples", samples=8, passes=("groups",), denoise_groups=True)
    picture = render(document, assets, shot, (64, 48), settings)
    raw, clean = picture.passes.planes["group.Key"], picture.passes.planes["group.Key.denoised"]

    def roughness(x):
        return np.abs(np.diff(x, axis=1)).mean()

    assert roughness(clean) < 0.8 * roughness(raw)
    assert clean.mean() == pytest.approx(raw.mean(), rel=0.1)


def test_unknown_passes_are_a_sentence():
    with pytest.raises(BadValue, match="no passes called sparkle"):
        check(("paths", "sparkle"))


# kept states and stopping


def test_a_render_that_was_stopped_goes_on_to_the_same_picture_bit_by_bit(tmp_path, monkeypatch):
    from aulmo.trace import tracer as module

    monkeypatch.setattr(module, "KEEP_FIRST", 0.0)
    monkeypatch.setattr(module, "KEEP_EVERY", 0.0)
    document, assets = still_life(kind="plain")
    shot, kept = document.shots[0], tmp_path / "state.npz"
    for settings in (
        RenderSettings(stop="samples", samples=40, passes=("paths", "mattes"), denoise=False),
        RenderSettings(stop="noise", noise_percent=12.0, denoise=False),
    ):
        whole = render(document, assets, shot, (64, 48), settings)
        calls = []

        def stop_soon(progress, tracer):
            calls.append(progress.samples)
            return progress.samples < 12

        monkeypatch.setattr(module.time, "perf_counter", _fast_clock())
        assert render(document, assets, shot, (64, 48), settings, stop_soon, kept=kept) is None
        assert kept.exists() and calls[-1] >= 12
        resumed = render(document, assets, shot, (64, 48), settings, kept=kept)
        monkeypatch.undo()
        monkeypatch.setattr(module, "KEEP_FIRST", 0.0)
        monkeypatch.setattr(module, "KEEP_EVERY", 0.0)
        np.testing.assert_array_equal(resumed.raw, whole.raw)
        assert resumed.samples == whole.samples
        if whole.passes:
            for name, plane in whole.passes.planes.items():
                np.testing.assert_array_equal(resumed.passes.planes[name], plane)
        kept.unlink()


def _fast_clock():
    """A clock on which half a second passes at every look, so that progress is always told."""
    now = [0.0]

    def look() -> float:
        now[0] += 0.5
        return now[0]

    return look


def test_a_state_of_another_frame_or_a_damaged_one_is_a_sentence(tmp_path, monkeypatch):
    from aulmo.trace import tracer as module

    document, assets = still_life(kind="plain")
    kept = tmp_path / "state.npz"
    kept.write_bytes(b"not a state")
    with pytest.raises(BadFile, match="not a kept render state"):
        render(document, assets, document.shots[0], (64, 48), RenderSettings(stop="samples", samples=4), kept=kept)
    kept.unlink()
    monkeypatch.setattr(module, "KEEP_FIRST", -1.0)
    monkeypatch.setattr(module, "KEEP_EVERY", -1.0)
    render(document, assets, document.shots[0], (64, 48), RenderSettings(stop="samples", samples=4), kept=kept)
    whole = kept.read_bytes()
    red = edits.change_surface(document, next(iter(document.materials)), base_color=(0.9, 0.0, 0.0))
    for other, size in ((document, (48, 48)), (red, (64, 48))):
        kept.write_bytes(whole)
        with pytest.raises(BadFile, match="another"):
            render(other, assets, other.shots[0], size, RenderSettings(stop="samples", samples=4), kept=kept)


def test_stopping_at_a_noise_target_does_not_darken_the_picture():
    """Many renders to a loose target, each with its own samples: their mean is the truth within its error."""
    document, assets = still_life(kind="plain")
    shot = document.shots[0]
    truth = render(document, assets, shot, (24, 18), RenderSettings(stop="samples", samples=768, denoise=False, seed=991)).raw
    means = []
    for seed in range(9):
        picture = render(document, assets, shot, (24, 18), RenderSettings(stop="noise", noise_percent=15.0, denoise=False, seed=seed))
        means.append(picture.raw.mean())
    error = np.std(means) / np.sqrt(len(means))
    assert np.mean(means) == pytest.approx(truth.mean(), abs=4 * error + 2e-3 * truth.mean())


def test_a_noise_target_is_met_about_and_spends_more_where_it_is_noisier():
    document, assets = still_life(kind="plain")
    picture = render(document, assets, document.shots[0], (40, 30), RenderSettings(stop="noise", noise_percent=6.0, denoise=False, passes=("noise",)))
    assert picture.noise < 0.08
    assert np.ptp(picture.passes.planes["samples"]) > 16


def test_seeds_give_other_noise_and_the_same_light():
    document, assets = still_life(kind="plain")
    one, other = (rendered(document, assets, (), 64, seed=s).raw for s in (0, 5))
    assert np.abs(one - other).mean() > 0
    assert one.mean() == pytest.approx(other.mean(), rel=0.03)
