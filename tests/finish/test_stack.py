"""Layers that are more than grades, groups of them, masks that are painted or follow, small pictures as whole ones, presets, tables, sending."""

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo.document.assets import AssetStore
from aulmo.document.finish_records import Balance, Finish, Grade, Layer, Mask, Stroke
from aulmo.document.records import Decal, Document, Environment, Lamp, Material, Part, Softbox, Surface
from aulmo.errors import BadFile, BadValue
from aulmo.finish import layers as stack, presets
from aulmo.finish.composing import AMBIENT, Kept, Means, composed, displayed
from aulmo.finish.edits import by_mattes
from aulmo.finish.grading import graded, looked_up, read_cube
from aulmo.finish.masking import mask_of, moved
from aulmo.finish.measuring import TONES, apart, measured
from aulmo.finish.planes import Planes, of_arrays, reduced
from aulmo.finish.sending import sent
from aulmo.finish.suggesting import Pair, suggested
from aulmo.finish.tables import cube_of, left_out
from aulmo.trace.passes import matte_float
from aulmo.trace.view import show

H, W = 90, 120


@pytest.fixture(scope="module")
def planes() -> Planes:
    """A ramp of tones with coloured fields; a matte of a block, a shadow, two lights, depth and places."""
    y, x = np.mgrid[0:H, 0:W].astype(np.float32)
    rgb = np.stack([0.1 + x / W, 0.3 + 0 * x, 0.6 - 0.4 * y / H], -1).astype(np.float32)
    block = np.zeros((H, W), np.float32)
    block[30:60, 40:80] = 1
    block[30:60, 39] = 0.5
    name = np.float32(matte_float("Block"))
    matte = np.stack([np.full((H, W), name), block, np.zeros((H, W)), np.zeros((H, W))], -1).astype(np.float32)
    shadow = np.zeros((H, W, 1), np.float32)
    shadow[65:80, 30:90] = 0.6
    lit = rgb * (1 - shadow)
    made = of_arrays({
        "rgb": lit, "shadow": shadow, "MattePart00": matte, "group.Key": lit * 0.75, "group.Rim": lit * 0.25, "depth": np.full((H, W), 500.0),
        "position": np.stack([x * 2, y * 2, 0 * x], -1),
    })  # fmt: skip
    return made


def finish(*layers: Layer, **more) -> Finish:
    return Finish("f", layers=layers, **more)


def png(pixels: np.ndarray) -> bytes:
    import io

    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG")
    return out.getvalue()


# layers


def test_a_picture_lies_where_it_is_put_and_shows_as_it_is(planes):
    codes = np.zeros((20, 40, 4), np.uint8)
    codes[..., :3], codes[..., 3] = (200, 90, 30), 255
    codes[:, :10, 3] = 0
    layer = Layer("p", "Stamp", "picture", picture="a.png", across=0.5, down=0.5, width=0.5)
    made = composed(planes, finish(layer), means=Means(lambda name: png(codes)))
    assert not made.faults
    display = displayed(made, "Product neutral")
    np.testing.assert_allclose(display[45, 80] * 255, (200, 90, 30), atol=1)  # through the view and back
    np.testing.assert_array_equal(made.rgb[45, 35], planes.rgb[45, 35])  # where it is clear
    np.testing.assert_array_equal(made.rgb[10, 60], planes.rgb[10, 60])  # beside it
    turned = composed(planes, finish(replace(layer, turn=90.0)), means=Means(lambda name: png(codes)))
    assert np.abs(turned.rgb[70, 60] - planes.rgb[70, 60]).max() > 0.05 and np.abs(turned.rgb[45, 85] - planes.rgb[45, 85]).max() == 0
    half = composed(planes, finish(replace(layer, opacity=0.5)), means=Means(lambda name: png(codes)))
    np.testing.assert_allclose(half.rgb[45, 80], (made.rgb[45, 80] + planes.rgb[45, 80]) / 2, rtol=1e-5)


def test_a_picture_that_is_missing_or_broken_is_a_sentence_and_the_rest_is_shown(planes):
    grade = Layer("g", "Brighter", grade=Grade(exposure=1.0))
    for layer, blob, words in (
        (Layer("p", "Stamp", "picture"), b"", "No picture is chosen"), (Layer("p", "Stamp", "picture", picture="a.png"), b"\x89PNG broken", "Stamp"),
        (Layer("t", "Words", "text", source="  "), b"", "no text"), (Layer("h", "Hut", "photograph"), b"", "no photograph"),
        (Layer("l", "Table", grade=Grade(lut="a.cube")), b"LUT_3D_SIZE 3\n0 0 0\n", "cut short"),
    ):  # fmt: skip
        made = composed(planes, finish(layer, grade), means=Means(lambda name, blob=blob: blob))
        assert list(made.faults) == [layer.id] and words in made.faults[layer.id]
        np.testing.assert_allclose(made.rgb, planes.rgb * 2, rtol=1e-5)


def test_a_text_covers_as_its_letters_do(planes):
    layer = Layer("t", "Words", "text", source="OH", colour=(0.9, 0.9, 0.9), width=0.6, down=0.5)
    made = composed(planes, finish(layer)).rgb
    changed = np.abs(made - planes.rgb).max(-1) > 0.01
    rows, columns = np.nonzero(changed)
    assert columns.min() == pytest.approx(0.2 * W, abs=3) and columns.max() == pytest.approx(0.8 * W, abs=3)
    ring = changed[rows.min() : rows.max() + 1, columns.min() : columns.min() + (columns.max() - columns.min()) // 3]
    middle = ring[ring.shape[0] // 2]
    assert middle[:6].any() and not middle[ring.shape[1] // 2 - 1], "the O is hollow"


def test_shadows_are_laid_anew(planes):
    none = composed(planes, finish(Layer("s", "Shadow", "shadow", colour=(0, 0, 0), strength=0.0))).rgb
    left = 1 - (1 - AMBIENT) * 0.6
    np.testing.assert_allclose(none[70, 60], planes.rgb[70, 60] / left, rtol=1e-5)  # the shadow is gone
    np.testing.assert_array_equal(none[5], planes.rgb[5])
    same = composed(planes, finish(Layer("s", "Shadow", "shadow", colour=(0, 0, 0)))).rgb
    np.testing.assert_allclose(same, planes.rgb, rtol=1e-5)
    deep = composed(planes, finish(Layer("s", "Shadow", "shadow", colour=(0, 0, 0), strength=1.5))).rgb
    assert deep[70, 60, 0] == pytest.approx(planes.rgb[70, 60, 0] / left * (1 - (1 - AMBIENT) * 0.9), rel=1e-4)
    soft = composed(planes, finish(Layer("s", "Shadow", "shadow", colour=(0, 0, 0), soften=40.0))).rgb
    step = lambda rgb: np.abs(np.diff(rgb[60:75, 60, 1])).max()  # noqa: E731
    assert step(soft) < 0.5 * step(planes.rgb)
    blue = composed(planes, finish(Layer("s", "Shadow", "shadow", colour=(0.0, 0.0, 0.8)))).rgb
    assert blue[70, 60, 2] > 1.4 * planes.rgb[70, 60, 2] and blue[70, 60, 0] == pytest.approx(planes.rgb[70, 60, 0], rel=1e-4)
    np.testing.assert_allclose(blue[10], planes.rgb[10], rtol=1e-6)
    normal = np.zeros((H, W, 3), np.float32)
    normal[..., 2] = 1
    normal[65:80, 60:] = (1, 0, 0)  # a wall has shadows of its own
    walled = planes._replace(layers={**planes.layers, "normal": normal})
    gone = composed(walled, finish(Layer("s", "Shadow", "shadow", colour=(0, 0, 0), strength=0.0, soften=20.0))).rgb
    np.testing.assert_array_equal(gone[70, 70], planes.rgb[70, 70])
    assert gone[70, 40, 0] > 1.5 * planes.rgb[70, 40, 0]


def test_a_group_acts_as_one_and_its_mask_holds_for_all_in_it(planes):
    inner = (Layer("a", "Up", grade=Grade(exposure=1.0), inside="s"), Layer("b", "Grey", grade=Grade(saturation=-1.0), inside="s"))
    group = Layer("s", "Both", "stack", opacity=0.5)
    both = graded(graded(planes.rgb, inner[0].grade), inner[1].grade)
    made = composed(planes, finish(*inner, group)).rgb
    np.testing.assert_allclose(made, (planes.rgb + both) / 2, rtol=1e-5)
    masked = composed(planes, finish(*inner, replace(group, opacity=1.0, masks=(Mask("m", "part", names=("Block",)),)))).rgb
    np.testing.assert_allclose(masked[45, 60], both[45, 60], rtol=1e-6)
    np.testing.assert_array_equal(masked[5, 5], planes.rgb[5, 5])
    off = composed(planes, finish(*inner, replace(group, on=False))).rgb
    np.testing.assert_array_equal(off, planes.rgb)


def test_the_stack_is_put_in_order_and_groups_keep_what_is_in_them():
    made = finish(Layer("a", "A"), Layer("b", "B"))
    group = stack.fresh(made, "stack")
    made = stack.added(made, group, "b")
    made = stack.moved(made, [("a", group.id), ("b", ""), (group.id, "")])
    assert [(x.id, x.inside) for x in made.layers] == [("b", ""), ("a", group.id), (group.id, "")]
    inside = stack.added(made, stack.fresh(made, "grade"), group.id)
    assert sum(x.inside == group.id for x in inside.layers) == 2
    copy, twice = stack.duplicated(made, group.id)
    assert sum(x.inside == copy for x in twice.layers) == 1 and len({x.id for x in twice.layers}) == 5
    assert [x.id for x in stack.without(made, group.id).layers] == ["b"]
    lost = stack.in_order(finish(Layer("a", "A", inside="gone")))
    assert lost.layers[0].inside == ""
    assert stack.told(Layer("m", "M", masks=(Mask("m", "part", names=("Block", "Lid")),))) == "grade · mask: Block and 1"


def test_what_is_kept_gives_the_same_as_making_all_anew(planes):
    kept = Kept()
    layers = (Layer("a", "A", grade=Grade(exposure=0.3)), Layer("b", "B", grade=Grade(saturation=0.2)), Layer("c", "C", grade=Grade(contrast=0.2)))
    for change in (finish(*layers), finish(layers[0], layers[1], replace(layers[2], opacity=0.4)), finish(layers[0], layers[2]),
                   finish(*layers, balance={"Key": Balance(stops=1.0)}), finish(layers[2], layers[0])):  # fmt: skip
        np.testing.assert_array_equal(composed(planes, change, kept=kept).rgb, composed(planes, change).rgb)
    first = kept.steps[0][1].rgb
    composed(planes, finish(layers[2], layers[1]), kept=kept)
    assert kept.steps[0][1].rgb is first, "what lies below a change is not made again"


def test_lights_that_go_out_leave_nothing_along_edges(planes):
    """Each light cleaned alone is not quite the picture cleaned: at the edge of the block its part is a fifth too small here."""
    rng = np.random.default_rng(2)
    noise = 1 + 0.1 * rng.standard_normal(planes.rgb.shape).astype(np.float32)
    edge = np.ones((H, W, 1), np.float32)
    edge[29:31, 38:82] = 0.8
    held = {f"group.{n}": planes.layers[f"group.{n}"] * noise for n in ("Key", "Rim")}
    held |= {f"group.{n}.denoised": planes.layers[f"group.{n}"] * edge for n in ("Key", "Rim")}
    real = planes._replace(raw=planes.rgb * noise, layers={**planes.layers, **held})
    dark = composed(real, finish(balance={n: Balance(stops=-10.0) for n in ("Key", "Rim")})).rgb
    np.testing.assert_allclose(dark, planes.rgb / 1024, rtol=1e-3)
    bright = composed(real, finish(balance={"Key": Balance(stops=1.0)})).rgb
    np.testing.assert_allclose(bright, planes.rgb * 1.75, rtol=1e-3)
    warm = composed(real, finish(balance={"Rim": Balance(colour=(1.0, 0.5, 0.0))})).rgb
    np.testing.assert_allclose(warm[..., 2], planes.rgb[..., 2] * 0.75, rtol=1e-3)
    odd = real._replace(raw=real.raw * 2)  # lights that do not add up to the picture: only what is known of each changes
    np.testing.assert_allclose(composed(odd, finish(balance={"Key": Balance(stops=1.0)})).rgb[5], planes.rgb[5] * 1.75, rtol=1e-3)


# masks


def test_a_brush_paints_wipes_and_keeps_to_edges(planes):
    stroke = Stroke(((0.2, 0.5), (0.8, 0.5)), size=100.0, soft=0.0)
    painted = mask_of((Mask("b", "brush", strokes=(stroke,)),), planes, planes.rgb)
    wanted = 0.6 * W * 12 + np.pi * 36
    assert painted.sum() == pytest.approx(wanted, rel=0.08) and painted.max() == 1
    half = mask_of((Mask("b", "brush", strokes=(replace(stroke, flow=0.5), replace(stroke, flow=0.5))),), planes, planes.rgb)
    assert half[45, 60] == pytest.approx(0.75, abs=1e-5)
    wiped = mask_of((Mask("b", "brush", strokes=(stroke, Stroke(((0.5, 0.5),), size=100.0, soft=0.0, wipes=True))),), planes, planes.rgb)
    assert wiped[45, 60] == 0 and wiped[45, 30] == 1
    edge = planes.rgb.copy()
    edge[:, 60:] = (0.02, 0.4, 0.9)
    follows = mask_of((Mask("b", "brush", strokes=(Stroke(((0.45, 0.5),), size=300.0, edges=1.0, soft=0.0),)),), planes, edge)
    assert follows[45, 54] > 0.9 and follows[45, 61:70].max() < 0.05
    assert mask_of((Mask("b", "brush"),), planes, planes.rgb).max() == 0


def test_a_shape_follows_a_part_and_a_feather_is_in_mm(planes):
    shape = Mask("e", "ellipse", across=0.0, down=0.0, width=0.1, height=0.1, follows="Block")
    found = mask_of((shape,), planes, planes.rgb)
    y, x = np.nonzero(found > 0.5)
    assert (x.mean() + 0.5, y.mean() + 0.5) == (pytest.approx(59.8, abs=0.5), pytest.approx(45, abs=0.5))
    shifted = planes._replace(layers={**planes.layers, "MattePart00": np.roll(planes.layers["MattePart00"], (5, -12), (0, 1))})
    y2, x2 = np.nonzero(mask_of((shape,), shifted, planes.rgb) > 0.5)
    assert (x2.mean() - x.mean(), y2.mean() - y.mean()) == (pytest.approx(-12, abs=0.6), pytest.approx(5, abs=0.6))
    with pytest.raises(BadValue, match="Lid, which this follows, is not seen"):
        mask_of((replace(shape, follows="Lid"),), planes, planes.rgb)
    assert moved(shape, 0.25, 0.5).across == 0.25
    matte = Mask("p", "part", names=("Block",))
    by_mm, by_share = (mask_of((replace(matte, **f),), planes, planes.rgb) for f in ({"feather_mm": 24.0}, {"feather": 100.0}))
    np.testing.assert_allclose(by_mm, by_share, atol=1e-5)  # a pixel is 2 mm wide: 12 of 120
    with pytest.raises(BadValue, match="no pass position"):
        mask_of((replace(matte, feather_mm=5.0),), of_arrays({"rgb": planes.rgb, "MattePart00": planes.layers["MattePart00"]}), planes.rgb)


def test_groups_of_parts_and_decals_become_what_mattes_know():
    parts = {
        "g": Part(id="g", name="Lid", children=("a", "b")), "a": Part(id="a", name="Ring", parent="g", mesh="m"),
        "b": Part(id="b", name="Knob", parent="g", mesh="m"),
    }  # fmt: skip
    document = Document(parts=parts, roots=("g",), materials={"i": Material("i", "Ink")}, decals={"d": Decal("d", "Plate", material="i")})
    masks = (Mask("1", "group", names=("Lid",)), Mask("2", "decal", names=("Plate",)), Mask("3", "group", names=("Gone",)))
    found = by_mattes(document, finish(Layer("x", "X", masks=masks))).layers[0].masks
    assert found[0].names == ("Ring", "Knob") and found[1].names == ("Ink",) and found[2].names == ("Gone",)


# small and whole


def test_a_small_picture_looks_as_the_whole(planes):
    big = planes._replace(
        rgb=np.kron(planes.rgb, np.ones((6, 6, 1), np.float32)), alpha=np.ones((6 * H, 6 * W), np.float32),
        layers={k: np.kron(v, np.ones((6, 6, 1), np.float32)) for k, v in planes.layers.items()},
    )  # fmt: skip
    big = big._replace(raw=big.rgb)
    layers = (
        Layer("a", "All", grade=Grade(exposure=0.3, contrast=0.15, shadows=0.2, saturation=0.1, local_contrast=0.2, vignette=0.6, glow=0.1)),
        Layer("b", "Block", grade=Grade(exposure=-0.5), masks=(Mask("m", "part", names=("Block",), feather=20.0),)),
        Layer("c", "Oval", grade=Grade(kelvin=5200.0), masks=(Mask("e", "ellipse", feather=50.0),)),
    )
    whole = displayed(composed(big, finish(*layers, balance={"Key": Balance(stops=-1.0)})), "Product neutral")
    small = reduced(big, 240, 180)
    assert small.alpha.shape == (180, 240) and set(small.groups) == {"Key", "Rim"}
    seen = displayed(composed(small, finish(*layers, balance={"Key": Balance(stops=-1.0)})), "Product neutral")
    mean = whole.reshape(180, 3, 240, 3, 3).mean((1, 3))
    assert 255 * np.abs(seen - mean).mean() < 1.0
    assert reduced(small, 999, 999) is small


# measuring and matching


def test_scopes_count_every_pixel_where_it_is(planes):
    display = np.full((40, 60, 3), 0.25, np.float32)
    display[:, :15] = (1.0, 0.5, 0.5)
    display[:10, 15:] = 0
    found = measured(display)
    assert found.tones.sum(1) == pytest.approx(1, abs=1e-5) and found.tones[0, TONES - 1] == pytest.approx(0.25)
    assert found.white == pytest.approx(0.25) and found.black == pytest.approx(10 * 45 / 2400)
    assert found.levels[0, TONES - 1, :40].sum() == pytest.approx(0.25, abs=1e-5) and found.levels[0, TONES - 1, 41:].sum() == 0
    assert found.colours.sum() == pytest.approx(1, abs=1e-5)
    two = apart(np.array([0.5, 0.5, 0.5]), np.array([0.6858, 0.6858, 0.6858]))
    assert two.stops == pytest.approx(1.0, abs=0.01) and two.distance == pytest.approx(two.lightness, rel=1e-3) and two.hue == 0
    assert apart(np.array([0.8, 0.2, 0.2]), np.array([0.2, 0.2, 0.8])).hue != 0


@pytest.fixture(scope="module")
def scene_light() -> np.ndarray:
    """A picture with dark, middle, light and coloured parts."""
    rng = np.random.default_rng(5)
    y, x = np.mgrid[0:120, 0:160].astype(np.float32)
    colours = 1 + 0.5 * np.stack([np.sin(x / 31), np.sin(y / 29), np.cos(x / 40)], -1)
    light = np.exp2(-3 + 2.2 * np.sin(x / 23) * np.cos(y / 17))[..., None] * colours
    light[30:70, 40:90] = (0.5, 0.06, 0.04)
    return (light * (1 + 0.05 * rng.standard_normal(light.shape))).clip(0.002).astype(np.float32)


@pytest.mark.parametrize("spoiled", [
    Grade(exposure=0.8, kelvin=5000.0), Grade(exposure=-0.9, contrast=0.25, tint=10.0), Grade(saturation=-0.4, kelvin=8500.0, shadows=0.3),
])  # fmt: skip
def test_a_spoiled_copy_is_brought_back(scene_light, spoiled):
    from aulmo.finish.measuring import oklab_of

    original = show(scene_light, 1.0, "Product neutral")
    bad = graded(scene_light, spoiled)
    found = suggested(bad, original, "Product neutral")
    back = show(np.ascontiguousarray(graded(bad, found.grade)), 1.0, "Product neutral")
    off = lambda a: 100 * float(np.linalg.norm(oklab_of(a) - oklab_of(original), axis=-1).mean())  # noqa: E731
    before = off(show(np.ascontiguousarray(bad), 1.0, "Product neutral"))
    assert before > 3 and off(back) < 2.0, (before, off(back), found.words)
    assert found.after < found.before and found.words[0].isupper()
    weak = suggested(bad, original, "Product neutral", strength=0.5)
    assert found.after < weak.after < weak.before


def test_a_suggestion_keeps_the_rest_matches_places_and_says_when_nothing_is_to_do(scene_light):
    original = show(scene_light, 1.0, "Product neutral")
    nothing = suggested(scene_light, original, "Product neutral", Grade(vignette=0.0, glow=0.2, glow_from=6.0))
    assert nothing.grade.glow == 0.2 and abs(nothing.grade.exposure) < 0.03 and nothing.after < 0.3
    dark = scene_light * np.float32(0.5)
    pairs = [Pair((x, y), (x, y)) for x, y in ((0.3, 0.4), (0.7, 0.2), (0.8, 0.8), (0.1, 0.7))]
    by_places = suggested(dark, original, "Product neutral", pairs=pairs)
    assert by_places.grade.exposure == pytest.approx(1.0, abs=0.15)
    with pytest.raises(BadValue, match="outside of its picture"):
        suggested(dark, original, "Product neutral", pairs=[Pair((2.0, 0.0), (0.1, 0.1))])
    with pytest.raises(BadValue, match="strength"):
        suggested(dark, original, "Product neutral", strength=2.0)
    with pytest.raises(BadValue, match="too little"):
        suggested(dark, original, "Product neutral", mask=np.zeros(dark.shape[:2], np.float32))


# out


def test_a_table_does_what_the_grades_do(scene_light):
    grade = Grade(exposure=0.4, contrast=0.2, kelvin=5600.0, saturation=-0.2, curve=((0.3, 0.25),))
    made = finish(Layer("g", "Look", grade=grade))
    table = read_cube(cube_of(made, "Product neutral"))
    before = show(scene_light, 1.0, "Product neutral", exact=True)
    wanted = show(np.ascontiguousarray(graded(scene_light, grade)), 1.0, "Product neutral", exact=True)
    assert 255 * np.abs(looked_up(before, table) - wanted).mean() < 2.5
    assert left_out(made) == []
    more = finish(Layer("g", "Look", grade=replace(grade, vignette=1.0), masks=(Mask("m"),)), Layer("p", "P", "picture"))
    assert left_out(more) == ["layers that are no grades", "masks", "vignette"]
    with pytest.raises(BadValue, match="no grade of the whole picture"):
        cube_of(finish(), "Film")


def test_a_preset_comes_back_with_its_files_in_another_project(tmp_path):
    assets, other = AssetStore(), AssetStore()
    table = assets.add(b"LUT_3D_SIZE 2\n" + b"0.5 0.5 0.5\n" * 8, ".cube")
    layers = (Layer("a", "Look", grade=Grade(lut=table, exposure=0.5), inside="s"), Layer("s", "Both", "stack"))
    kept = finish(*layers, balance={"Key": Balance(stops=1.0)}, view="Film")
    path = presets.save_preset(tmp_path / "presets", "Dusk look", kept, assets)
    assert presets.names(tmp_path / "presets") == ["Dusk look"] and presets.names(tmp_path / "none") == []
    found = presets.load_preset(path, other)
    assert other.get(found.layers[0].grade.lut) == assets.get(table) and found.layers[0].grade.exposure == 0.5
    assert found.layers[0].inside == found.layers[1].id != "s" and not found.balance and found.view == "Film"
    for name in ("../x", "", "a/b"):
        with pytest.raises(BadValue):
            presets.save_preset(tmp_path, name, kept, assets)
    (tmp_path / f"bad{presets.ENDING}").write_text('{"finish": 3}')
    for name in ("bad", "gone"):
        with pytest.raises(BadFile):
            presets.load_preset(tmp_path / f"{name}{presets.ENDING}", other)


def test_a_balance_is_sent_to_the_lights():
    box = Softbox("b", "Window", stops=1.0)
    document = Document(
        lamps={"k": Lamp("k", "Key", group="Key"), "o": Lamp("o", "Other", group="Rest")}, environment=Environment(softboxes=(box,)),
        materials={"f": Material("f", "Flame", surface=Surface(emission_luminance=100.0))},
        finishes={"f": Finish("f")},
    )  # fmt: skip
    lights = {
        "Key": Balance(stops=1.5, colour=(1.0, 0.5, 0.5)), "Window": Balance(stops=-1.0), "Glow": Balance(stops=2.0),
        "Environment": Balance(stops=0.5), "Moon": Balance(stops=3.0), "Rest": Balance(),
    }  # fmt: skip
    made, words = sent(document, Finish("f", balance=lights))
    assert made.lamps["k"].stops == 1.5 and made.lamps["k"].colour == (1.0, 0.5, 0.5) and made.lamps["o"] == document.lamps["o"]
    assert made.environment.softboxes[0].stops == 0.0 and made.environment.exposure == document.environment.exposure + 0.5
    assert made.materials["f"].surface.emission_luminance == 400.0
    assert list(made.finishes["f"].balance) == ["Moon"] and "Moon stays here" in words
    with pytest.raises(BadValue, match="None of the lights"):
        sent(document, Finish("f", balance={"Moon": Balance(stops=1.0)}))
