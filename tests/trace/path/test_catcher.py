"""What catches shadow: any part, against two full pictures; its alpha; what it mirrors; what it leaves alone."""

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo import script
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.records import Backdrop, Camera, Document, Environment, Floor, Lamp, Material, RenderSettings, Shot, Surface
from aulmo.trace.pick import pick
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import render

SIZE = (72, 54)
WHITE = (1.0, 1.0, 1.0)


def still_life(catches="nothing", ball=True, colour=(0.0, 0.0, 0.0), shiny=False, tilt=0.0) -> Document:
    """A ball on a plate before a white backdrop under a lamp."""
    document = Document(floor=Floor(kind="none"), environment=Environment(image="Loft"), backdrop=Backdrop(kind="colour", top=WHITE, bottom=WHITE))
    plate = Surface(base_color=(0.5, 0.5, 0.5), specular_weight=1.0 if shiny else 0.0, specular_roughness=0.0)
    document = edits.put_material(document, Material(id="plate", name="Plate", surface=plate))
    document = edits.put_material(document, Material(id="ball", name="Ball", surface=Surface(base_color=colour, specular_weight=0.0)))
    document, floor = script.add_piece(document, "floor", width=800, depth=800)
    document = edits.change_part(document, floor, material="plate", catches=catches, name="Plate")
    document = edits.place_parts(document, {floor: replace(document.parts[floor].placement, turn=(tilt, 0.0, 0.0))})
    if ball:
        document, made = script.add_piece(document, "sphere", radius=50)
        document = edits.change_part(document, made, material="ball", name="Ball")
    document = edits.put_lamp(document, Lamp(id="l", name="L", position=(-300, -300, 600), turn=(30, -25, 0), width=200, height=200, power=3000))
    document = edits.put_camera(document, Camera(id="c", name="C", position=(0, -500, 300), target=(0, 0, 30), focal_length_mm=50))
    return edits.put_shot(document, Shot(id="s", name="S", camera="c", width=SIZE[0], height=SIZE[1]))


def shown(document, samples=192, passes=(), transparent=False):
    settings = RenderSettings(stop="samples", samples=samples, denoise=False, passes=passes, transparent=transparent)
    return render(document, AssetStore(), document.shots[0], SIZE, settings)


@pytest.mark.parametrize("tilt", [0.0, 25.0])
def test_the_caught_shadow_is_the_ratio_of_two_full_pictures(tilt):
    """With a black thing nothing bounces, so the picture with it over the picture without it is just the light that is kept away."""
    whole, bare = shown(still_life(tilt=tilt)), shown(still_life(ball=False, tilt=tilt))
    caught = shown(still_life("shadow", tilt=tilt), passes=("shadow",))
    ratio = whole.rgb.mean(-1) / bare.rgb.mean(-1)
    kept, alpha = caught.passes.planes["catcher.kept"].mean(-1), caught.passes.planes["catcher.alpha"][..., 0]
    plate = alpha > 0.999
    dark = plate & (ratio < 0.6)
    assert plate.mean() > 0.4 and dark.sum() > 20
    assert abs((ratio - kept)[plate].mean()) < 0.003 and abs((ratio - kept)[dark].mean()) < 0.015
    white = caught.white
    np.testing.assert_allclose(caught.rgb[dark].mean() / white, kept[dark].mean(), rtol=0.03)  # the backdrop is darkened by as much


def test_left_out_the_backdrop_the_shadow_becomes_alpha():
    document = replace(still_life("shadow"), backdrop=Backdrop(kind="transparent"))
    picture = shown(document, passes=("shadow", "mattes"), transparent=True)
    kept, alpha = picture.passes.planes["catcher.kept"].mean(-1), picture.passes.planes["catcher.alpha"][..., 0]
    plate = alpha > 0.999
    np.testing.assert_allclose(picture.alpha[plate], 1 - kept[plate], atol=0.03)
    assert picture.alpha[plate].max() > 0.5 and np.median(picture.alpha[plate]) < 0.06
    assert "Plate" in picture.passes.header[next(k for k in picture.passes.header if k.endswith("manifest"))]


def test_what_is_seen_through_tinted_glass_leaves_a_tinted_shadow():
    document = still_life("shadow")
    glass = Surface(transmission_weight=1.0, transmission_color=(0.9, 0.2, 0.1), specular_roughness=0.0)
    document = edits.put_material(document, Material(id="ball", name="Ball", surface=glass))
    picture = shown(document, passes=("shadow",))
    kept, alpha = picture.passes.planes["catcher.kept"], picture.passes.planes["catcher.alpha"][..., 0]
    dark = (alpha > 0.999) & (kept[..., 1] < 0.6)
    assert dark.sum() > 10 and kept[dark][:, 0].mean() > 1.3 * kept[dark][:, 2].mean()


def test_a_catcher_that_mirrors_shows_the_thing_and_nothing_else():
    black = Backdrop(kind="colour", top=(0.0, 0.0, 0.0), bottom=(0.0, 0.0, 0.0))
    passes = ("mattes", "shadow")
    red = lambda catches: replace(still_life(catches, colour=(0.8, 0.1, 0.1), shiny=True), backdrop=black)  # noqa: E731
    with_it, without = shown(red("reflection"), passes=passes), shown(red("shadow"), passes=passes)
    extra = with_it.rgb - without.rgb
    plate = with_it.passes.planes["catcher.alpha"][..., 0] + 0.08 > without.passes.planes["catcher.alpha"][..., 0]
    assert plate.any() and extra[..., 0].sum() > 4 * extra[..., 1].sum() > 0
    rows = np.nonzero(extra[..., 0] > 0.3 * extra[..., 0].max())[0]
    ball_rows = np.nonzero(without.rgb[..., 0] > 0.3 * without.rgb[..., 0].max())[0]
    assert rows.min() >= ball_rows.max() - 12 and rows.max() > ball_rows.max()  # the image hangs below the ball
    # Fresnel at this angle gives some percent, and the image is the ball again
    strength = extra[..., 0].max() / without.rgb[..., 0].max()
    assert 0.02 < strength < 0.25


def test_a_catcher_neither_shades_nor_lights_the_product():
    document = still_life("shadow", colour=(0.6, 0.6, 0.6))
    floating = shown(edits.delete_parts(document, [i for i, p in document.parts.items() if p.name == "Plate"]), passes=("mattes",))
    stands = shown(document, passes=("mattes",))
    ball = (floating.passes.planes["MattePart00"][..., 1] > 0.999) & (stands.passes.planes["MattePart00"][..., 1] > 0.999)
    assert ball.sum() > 100
    assert stands.rgb[ball].mean() == pytest.approx(floating.rgb[ball].mean(), rel=0.02)


def test_a_catcher_before_the_thing_hides_it_and_can_be_picked():
    document = still_life("shadow", colour=(0.9, 0.9, 0.9))
    document, screen = script.add_piece(document, "block", width=400, depth=10, height=400)
    document = edits.place_parts(document, {screen: replace(document.parts[screen].placement, position=(0.0, -200.0, -100.0))})
    document = edits.change_part(document, screen, catches="shadow")
    dark = Backdrop(kind="colour", top=(0.0, 0.0, 0.0), bottom=(0.0, 0.0, 0.0))
    picture = shown(replace(document, backdrop=dark), samples=32)
    assert picture.rgb[20:35, 30:42].max() == 0
    scene = SceneBuilder(AssetStore()).build(document, tables=False)
    hit = pick(scene, (0, -500, 100), (0, 1, 0))
    assert hit is not None and hit.part == screen
    beyond = pick(scene, (0, -500, 60), (0, 1, 0), {screen})
    assert beyond is not None and document.parts[beyond.part].name == "Ball" and beyond.distance == pytest.approx(450, abs=3)
