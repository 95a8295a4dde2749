"""Planes, masks, layers and light balance: against formulas, mattes and the sum of lights; from the project to the finished file."""

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo import script
from aulmo.command.main import main
from aulmo.deliver.encoding import display_picture
from aulmo.deliver.finished import write_finished
from aulmo.deliver.picture_file import write_picture
from aulmo.document import apart, edits, project_file
from aulmo.document.finish_records import Balance, Finish, Grade, Layer, Mask
from aulmo.document.properties import about, put
from aulmo.document.records import Environment, Floor, Lamp, Material, Placement, RenderSettings, Surface
from aulmo.errors import BadFile, BadValue
from aulmo.finish.blending import BLENDS, blended
from aulmo.finish.composing import balanced, composed, displayed
from aulmo.finish.edits import finish_of, finished_of, put_finish
from aulmo.finish.masking import mask_of
from aulmo.finish.planes import of_arrays, of_picture, read_planes
from aulmo.trace.tracer import render
from shapes import box_mesh, one_part

SIZE = (64, 48)


@pytest.fixture(scope="module")
def scene():
    """A red box and a grey one in two lamps' light."""
    document, assets = one_part(box_mesh(40), Surface(base_color=(0.6, 0.05, 0.05)))
    grey = Material("g", "Grey paint", surface=Surface(base_color=(0.4, 0.4, 0.4)))
    second = replace(document.parts["ball"], id="two", name="Second", material="g", placement=Placement((50.0, 0.0, 0.0)))
    lamps = {
        "k": Lamp("k", "Key", position=(-200.0, -300.0, 300.0), power=3000.0, group="Key"),
        "r": Lamp("r", "Rim", position=(300.0, 100.0, 200.0), power=2000.0, group="Rim"),
    }
    document = replace(
        document, parts={**document.parts, "two": second}, roots=(*document.roots, "two"), materials={**document.materials, "g": grey}, lamps=lamps,
        floor=Floor(kind="plain"), environment=Environment(kind="colour", colour=(0.05, 0.05, 0.05)),
        shots=(replace(document.shots[0], width=SIZE[0], height=SIZE[1]),),
        render=RenderSettings(stop="samples", samples=16, denoise=False, passes=("groups", "mattes", "surface", "shadow")),
    )  # fmt: skip
    return document, assets


@pytest.fixture(scope="module")
def picture(scene):
    document, assets = scene
    return render(document, assets, document.shots[0], SIZE, document.render)


@pytest.fixture(scope="module")
def planes(picture):
    return of_picture(picture)


def finish(*layers: Layer, **balance: Balance) -> Finish:
    return Finish("f", layers=layers, balance=balance)


# blends


@pytest.mark.parametrize("blend, formula", [
    ("over", lambda a, b: b), ("add", lambda a, b: a + b), ("multiply", lambda a, b: a * b), ("screen", lambda a, b: 1 - (1 - a) * (1 - b)),
    ("darken", min), ("lighten", max), ("soft light", lambda a, b: (1 - 2 * b) * a * a + 2 * a * b), ("difference", lambda a, b: abs(a - b)),
])  # fmt: skip
def test_blends_against_their_formulas(blend, formula):
    for a in (0.0, 0.2, 0.7, 1.0):
        for b in (0.0, 0.3, 0.9, 1.0):
            one = lambda v: np.full((1, 1, 3), v, np.float32)  # noqa: E731
            assert blended(one(a), one(b), blend, 1.0)[0, 0, 0] == pytest.approx(formula(a, b), abs=1e-6)
            half = blended(one(a), one(b), blend, 0.5)[0, 0, 0]
            assert half == pytest.approx(a + 0.5 * (formula(a, b) - a), abs=1e-6)
    below = np.random.default_rng(1).random((3, 4, 3)).astype(np.float32) * 3
    np.testing.assert_array_equal(blended(below, below * 2, blend, 0.0), below)


def test_blends_keep_what_is_over_white_in_order_and_unknown_ones_are_a_sentence():
    a = np.linspace(0, 8, 50, dtype=np.float32).reshape(1, 50, 1).repeat(3, -1)
    for blend in set(BLENDS) - {"over", "difference"}:
        made = blended(a, np.full_like(a, 0.6), blend, 1.0)[0, :, 0]
        assert (np.diff(made) >= -1e-6).all(), blend
    with pytest.raises(BadValue, match="no blend dodge"):
        blended(a, a, "dodge", 1.0)


# the whole


def test_an_empty_finish_is_the_render_to_the_bit(scene, picture, planes):
    document, assets = scene
    made = composed(planes, Finish("f"))
    assert made.rgb is planes.rgb and made.alpha is planes.alpha and not made.faults
    shot = document.shots[0]
    np.testing.assert_array_equal(script.finish_array(document, assets, shot.name, picture), displayed(made, shot.view))
    np.testing.assert_allclose(displayed(made, shot.view), display_picture(picture)[..., :3], atol=1e-6)
    neutral = composed(planes, finish(Layer("r", "Render", "render"), Layer("g", "Grade")))
    np.testing.assert_array_equal(neutral.rgb, planes.rgb)


def test_lights_are_balanced_exactly(scene, picture, planes):
    document, assets = scene
    assert {"Key", "Rim"} <= set(planes.groups)
    total = sum(planes.layers[f"group.{n}"] for n in planes.groups)
    np.testing.assert_allclose(total, planes.raw, rtol=1e-4, atol=1e-5)
    np.testing.assert_array_equal(balanced(planes, {"Key": Balance()}), planes.rgb)
    # a render of the scene with the key two stops brighter, the rim off: what balancing gives
    brighter = replace(document, lamps={"k": replace(document.lamps["k"], stops=2.0), "r": replace(document.lamps["r"], on=False)})
    wanted = of_picture(render(brighter, assets, document.shots[0], SIZE, replace(document.render, samples=256)))
    made = balanced(planes, {"Key": Balance(stops=2.0), "Rim": Balance(on=False)})
    assert made.mean() == pytest.approx(wanted.rgb.mean(), rel=0.03)
    red = balanced(planes, {"Key": Balance(colour=(1.0, 0.0, 0.0))})
    np.testing.assert_allclose(red[..., 0], planes.rgb[..., 0], rtol=1e-5, atol=1e-6)
    np.testing.assert_allclose(red[..., 1], planes.rgb[..., 1] - planes.layers["group.Key"][..., 1], rtol=1e-4, atol=1e-5)
    lost = composed(planes, finish(Moon=Balance(stops=1.0), Key=Balance(stops=1.0)))
    assert "does not hold the light of Moon" in lost.faults["balance"]
    np.testing.assert_array_equal(lost.rgb, balanced(planes, {"Key": Balance(stops=1.0)}))


def test_a_grade_through_a_part_keeps_the_edges_of_its_matte(planes):
    matte = planes.matte("part", "Second")
    assert 50 < matte.sum() < 1500 and ((matte > 0.01) & (matte < 0.99)).any()
    mask = Mask("m", "part", names=("Second",))
    np.testing.assert_array_equal(mask_of((mask,), planes, planes.rgb), matte)
    made = composed(planes, finish(Layer("g", "Brighter", grade=Grade(exposure=1.0), masks=(mask,)))).rgb
    np.testing.assert_allclose(made, planes.rgb * (1 + matte[..., None]), rtol=1e-4, atol=1e-6)
    np.testing.assert_array_equal(made[matte == 0], planes.rgb[matte == 0])
    by_material = mask_of((Mask("m", "material", names=("Grey paint",)),), planes, planes.rgb)
    np.testing.assert_allclose(by_material, matte, atol=1e-6)


def test_masks_add_take_and_cross_and_shapes_have_their_area(planes):
    area = lambda *m: float(mask_of(m, planes, planes.rgb).sum())  # noqa: E731
    w, h = SIZE
    ellipse = Mask("e", "ellipse", across=0.5, down=0.5, width=0.5, height=0.5)
    box = Mask("b", "rectangle", across=0.5, down=0.5, width=0.5, height=0.5)
    corner = Mask("c", "polygon", points=((0, 0), (0.5, 0), (0.5, 0.5), (0, 0.5)))
    assert area(ellipse) == pytest.approx(np.pi / 4 * (w / 2) * (h / 2), rel=0.02)
    assert area(box) == pytest.approx(w * h / 4, rel=0.01) and area(corner) == pytest.approx(w * h / 4, rel=0.02)
    assert area(replace(box, turn=90.0)) == pytest.approx(w * h / 4, rel=0.02)
    assert area(box, replace(ellipse, how="take")) == pytest.approx(area(box) - area(ellipse), rel=0.03)
    assert area(box, replace(corner, how="cross")) == pytest.approx(w * h / 16, rel=0.03)
    assert area(box, corner) == pytest.approx(w * h * (0.25 + 0.25 - 1 / 16), rel=0.02)
    assert area(replace(box, outside=True)) == pytest.approx(w * h * 0.75, rel=0.01)
    assert area(replace(box, feather=60.0)) == pytest.approx(area(box), rel=0.05)
    soft = mask_of((replace(box, feather=60.0),), planes, planes.rgb)
    assert ((soft > 0.02) & (soft < 0.98)).sum() > 4 * ((mask_of((box,), planes, planes.rgb) % 1) > 0.02).sum()
    down = mask_of((Mask("g", "gradient", height=1.0),), planes, planes.rgb)[:, 0]
    assert (np.diff(down) > 0).all() and down[0] < 0.02 and down[-1] > 0.98


def test_masks_by_depth_facing_luminance_and_hue(scene, planes):
    document, _ = scene
    seen = planes._replace(eye=document.cameras[document.shots[0].camera].position)
    depth = planes.layers["depth"][..., 0]
    near = float(np.median(depth[planes.matte("part", "Ball") > 0.99]))
    found = mask_of((Mask("d", "depth", low=near - 40, high=near + 40),), planes, planes.rgb)
    np.testing.assert_array_equal(found, ((depth >= near - 40) & (depth <= near + 40)).astype(np.float32))
    facing = mask_of((Mask("f", "facing", low=0.5, high=1.0),), seen, planes.rgb)
    assert 0.0 < facing.mean() < 1.0
    with pytest.raises(BadValue, match="faces? the camera|face the camera"):
        mask_of((Mask("f", "facing"),), planes, planes.rgb)
    red = mask_of((Mask("h", "hue", low=0.0, high=60.0, soft=10.0),), planes, planes.rgb)
    assert red[planes.matte("part", "Ball") > 0.99].mean() > 0.9 and red[planes.matte("part", "Second") > 0.99].mean() < 0.5
    bright = mask_of((Mask("l", "luminance", low=0.2, high=99.0),), planes, planes.rgb)
    y = planes.rgb @ np.array([0.2722287, 0.6740818, 0.0536895], np.float32)
    assert (bright[y > 0.21] == 1).all() and (bright[y < 0.19] == 0).all()


def test_layers_lie_over_each_other_and_a_fault_leaves_the_rest(planes):
    ground = Layer("c", "Ground", "colour", colour=(0.2, 0.3, 0.4))
    glow = Layer("k", "More key", "group", source="Key", blend="add", opacity=0.5)
    lost = Layer("x", "Moon", "group", source="Moon", blend="add")
    made = composed(planes, finish(ground, Layer("r", "Render", "render"), lost, glow))
    assert list(made.faults) == ["x"] and "no pass group.Moon" in made.faults["x"]
    cover = planes.alpha[..., None]
    wanted = planes.rgb + np.array([0.2, 0.3, 0.4], np.float32) * (1 - cover) + 0.5 * planes.layers["group.Key"]
    np.testing.assert_allclose(made.rgb, wanted, rtol=1e-4, atol=1e-5)
    off = composed(planes, finish(replace(glow, on=False)))
    np.testing.assert_array_equal(off.rgb, planes.rgb)
    shade = composed(planes, finish(Layer("s", "Dusk", "gradient", colour=(1, 1, 1), colour_to=(0, 0, 0), blend="multiply")))
    assert shade.rgb[0].mean() > 0.9 * planes.rgb[0].mean() and shade.rgb[-1].mean() < 0.05 * max(1e-6, planes.rgb[-1].mean()) + 1e-3


def test_alpha_over_is_as_one_render_of_both(scene):
    document, assets = scene
    settings = replace(document.render, samples=64, passes=(), transparent=True)
    document = replace(document, floor=Floor(kind="none"))
    alone = of_picture(render(document, assets, document.shots[0], SIZE, settings))
    colour = (0.3, 0.5, 0.2)
    made = composed(alone, finish(Layer("c", "Ground", "colour", colour=colour), Layer("r", "Render", "render")))
    assert made.alpha.min() > 0.999
    np.testing.assert_allclose(made.rgb[0, 0], colour, rtol=1e-4)
    inside = alone.alpha > 0.999
    np.testing.assert_allclose(made.rgb[inside], alone.rgb[inside], rtol=1e-3, atol=1e-4)
    edge = (alone.alpha > 0.2) & (alone.alpha < 0.8)
    wanted = alone.rgb[edge] + np.array(colour) * (1 - alone.alpha[edge])[:, None]
    np.testing.assert_allclose(made.rgb[edge], wanted, rtol=1e-4, atol=1e-5)


# files


@pytest.mark.parametrize("parts", [False, True], ids=["one part", "a part each"])
def test_an_exr_of_ours_gives_the_planes_it_was_written_of(picture, planes, tmp_path, parts):
    write_picture(picture, tmp_path / "a.exr", "exr32", None, RenderSettings(exr_parts=parts))
    read = read_planes(tmp_path / "a.exr")
    np.testing.assert_allclose(read.rgb, planes.rgb, rtol=1e-6)
    assert set(read.groups) == set(planes.groups) and set(planes.layers) <= set(read.layers)
    for name, plane in planes.layers.items():
        np.testing.assert_allclose(read.layers[name], plane, rtol=1e-5, err_msg=name)
    np.testing.assert_array_equal(read.matte("part", "Second"), planes.matte("part", "Second"))


def test_files_of_others_broken_ones_and_numbers_that_are_none(tmp_path, planes):
    import OpenEXR

    rgb = np.random.default_rng(2).random((8, 10, 3)).astype(np.float32)
    rgb[2, 3] = np.nan
    with OpenEXR.File({}, {"RGB": rgb, "Z": np.ones((8, 10), np.float32)}) as file:
        file.write(str(tmp_path / "other.exr"))
    read = read_planes(tmp_path / "other.exr")
    assert "3 values were no numbers" in read.notes[0] and read.rgb[2, 3].max() == 0 and read.alpha.min() == 1
    with pytest.raises(BadValue, match="no mattes by part"):
        read.matte("part", "Second")
    (tmp_path / "broken.exr").write_bytes((tmp_path / "other.exr").read_bytes()[:200])
    for name in ("broken.exr", "gone.exr"):
        with pytest.raises(BadFile):
            read_planes(tmp_path / name)
    with pytest.raises(BadValue, match="another size: 3"):
        of_arrays({"rgb": rgb, "depth": np.ones((2, 3))})
    with pytest.raises(BadValue, match="named rgb"):
        of_arrays({"depth": np.ones((2, 3))})


def test_the_command_finishes_of_passes_and_by_itself(scene, picture, tmp_path, capsys):
    document, assets = scene
    name = document.shots[0].name
    document = script.add_grade(document, name, exposure=0.5, saturation=-0.2)
    document = script.add_grade(document, name, "Second", exposure=1.0)
    assert [len(layer.masks) for layer in finish_of(document, document.shots[0]).layers] == [0, 1]
    project_file.save(document, assets, tmp_path / "p.aulmo")
    again, store = project_file.load(tmp_path / "p.aulmo")
    assert again.finishes == document.finishes and again.shots[0].finish == document.shots[0].finish
    write_picture(picture, tmp_path / "a.exr", "exr32")
    words = ["finish", str(tmp_path / "p.aulmo"), "--shot", name, "--out"]
    assert main([*words, str(tmp_path / "a.png"), "--passes", str(tmp_path / "a.exr")]) == 0
    assert main([*words, str(tmp_path / "b.png"), "--samples", "16", "--raw"]) == 0
    with Image.open(tmp_path / "a.png") as one, Image.open(tmp_path / "b.png") as two:
        first, second = (np.asarray(i.convert("RGB")).astype(int) for i in (one, two))
        assert one.size == SIZE and one.info.get("icc_profile")
    wanted = script.finish_array(document, assets, name, tmp_path / "a.exr")
    assert np.abs(first - wanted * 255).max() < 1.01  # but for the dither
    assert np.abs(first - second).mean() < 0.6
    plain = script.finish_array(scene[0], assets, name, picture)
    assert wanted.mean() > 1.1 * plain.mean()
    assert main([*words, str(tmp_path / "c.exr")]) == 2 and "what is shown" in capsys.readouterr().err
    lost = put_finish(document, document.shots[0], replace(finish_of(document, document.shots[0]), balance={"Moon": Balance(stops=1.0)}))
    project_file.save(lost, assets, tmp_path / "q.aulmo")
    assert main(["finish", str(tmp_path / "q.aulmo"), "--out", str(tmp_path / "d.png"), "--passes", str(tmp_path / "a.exr")]) == 0
    assert "does not hold the light of Moon" in capsys.readouterr().out and (tmp_path / "d.png").exists()


@pytest.mark.parametrize("values, words", [
    ({"exposure": float("nan")}, "exposure of a grade"), ({"saturation": -3.0}, "saturation of a grade"), ({"magic": 1.0}, "nothing called magic"),
    ({"curve": ((0.5, 0.1), (0.5, 0.2))}, "no two at one place"), ({"exposure": "much"}, "no value of a grade"),
])  # fmt: skip
def test_a_grade_that_makes_no_sense_is_a_sentence(scene, values, words):
    document, _ = scene
    with pytest.raises(BadValue, match=words):
        script.add_grade(document, document.shots[0].name, **values)
    with pytest.raises(BadValue, match="no part named Handle"):
        script.add_grade(document, document.shots[0].name, "Handle", exposure=1.0)
    with pytest.raises(BadValue):
        script.add_grade(document, "No shot", exposure=1.0)
    assert edits.find_shot(document, None).finish == ""


def test_finishes_are_properties_like_all_else_and_can_be_keyed(scene, picture):
    document, assets = scene
    name = document.shots[0].name
    document = script.add_grade(document, name, exposure=0.0)
    finish_ = finish_of(document, document.shots[0])
    document = put_finish(document, document.shots[0], replace(finish_, balance={"Key": Balance()}))
    layer = f"finishes/{finish_.id}/layers/{finish_.layers[0].id}"
    brightness = f"finishes/{finish_.id}/balance/Key/stops"
    document = script.add_key(script.add_key(document, f"{layer}/grade/exposure", 0.0, 0.0), f"{layer}/grade/exposure", 1.0, 2.0)
    document = script.add_key(script.add_key(document, brightness, 0.0, -6.0), brightness, 1.0, 0.0)  # lights come on
    shown = [finished_of(document, assets, name, picture, t)[0].mean() for t in (0.0, 0.5, 1.0)]
    assert shown[0] < shown[1] < shown[2]
    assert about(f"{layer}/grade/exposure").unit == "stops" and about(f"{layer}/opacity").most == 1
    with pytest.raises(BadValue):
        put(document, f"{layer}/grade/saturation", -5.0)


def test_a_picture_too_large_for_the_machine_is_a_sentence_before_it_is_read(tmp_path, monkeypatch, picture):
    import psutil

    write_picture(picture, tmp_path / "a.exr", "exr32")
    held = psutil.virtual_memory()
    monkeypatch.setattr(psutil, "virtual_memory", lambda: held._replace(available=1_000_000))
    monkeypatch.setattr(apart, "inside", True)  # the other process has a machine of its own to look at
    with pytest.raises(BadFile, match=r"a.exr wants about .* GB to be finished"):
        read_planes(tmp_path / "a.exr")


def test_any_picture_is_worked_on_as_it_shows(scene, tmp_path):
    document, assets = scene
    codes = np.random.default_rng(4).integers(20, 235, (12, 16, 3)).astype(np.uint8)
    Image.fromarray(codes).save(tmp_path / "photo.png")
    name = document.shots[0].name
    shown = script.finish_array(document, assets, name, tmp_path / "photo.png")
    assert np.abs(shown * 255 - codes).max() < 1.5
    graded = script.finish_array(script.add_grade(document, name, exposure=1.0), assets, name, tmp_path / "photo.png")
    assert graded.mean() > shown.mean() + 0.05
    (tmp_path / "bad.png").write_bytes(b"no picture")
    for lost in ("bad.png", "gone.png"):
        with pytest.raises(BadFile):
            script.finish_array(document, assets, name, tmp_path / lost)


def test_a_finished_picture_takes_the_depth_that_is_chosen(scene, picture, tmp_path):
    document, assets = scene
    deep = replace(document, render=replace(document.render, file_type="png16"))
    write_picture(picture, tmp_path / "a.exr", "exr32")
    write_finished(deep, assets, None, tmp_path / "deep.png", tmp_path / "a.exr")
    write_finished(document, assets, None, tmp_path / "plain.png", tmp_path / "a.exr")
    import OpenImageIO as oiio

    depth = lambda name: str(oiio.ImageInput.open(str(tmp_path / name)).spec().format)  # noqa: E731
    assert (depth("deep.png"), depth("plain.png")) == ("uint16", "uint8")
