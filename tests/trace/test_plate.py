"""A photograph behind: its colours come out as they went in, shadows fall on it, glass shows it bent, and the camera finds its way round it."""

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo.deliver.encoding import display_picture
from aulmo.deliver.picture_file import write_picture
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.properties import resolve
from aulmo.document.records import Backdrop, Camera, Cutout, Document, Environment, Floor, Material, Part, Placement, RenderSettings, Shot, Surface
from aulmo.frame import matching, photograph
from aulmo.frame.camera import project
from aulmo.trace import draft, tracer
from aulmo.trace.camera_rows import camera_row
from aulmo.trace.options import options_row
from aulmo.trace.plate import light_of, neutral_back
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import Tracer, render
from aulmo.trace.view import show
from shapes import sphere_mesh
from tracing import plane

SIZE = (96, 72)
SETTINGS = RenderSettings(stop="samples", samples=16, denoise=True)


@pytest.fixture
def noise(tmp_path):
    """A photograph of nothing but noise: every code in every channel."""
    path = tmp_path / "noise.png"
    Image.fromarray(np.random.default_rng(1).integers(0, 256, (SIZE[1], SIZE[0], 3), dtype=np.uint8)).save(path)
    return path


def stood(path, surface=None, floor="shadow", view="Product neutral", **photo) -> tuple[Document, AssetStore]:
    """A ball on the floor before a photograph."""
    assets = AssetStore()
    mesh = assets.add_mesh(sphere_mesh(20, 32))
    camera = Camera(id="c", name="c", position=(0.0, -300.0, 90.0), target=(0.0, 0.0, 20.0), focal_length_mm=50.0, shutter=1 / 15)
    document = Document(
        parts={"b": Part(id="b", name="Ball", mesh=mesh, material="m", placement=Placement((0, 0, 20)))}, roots=("b",),
        materials={"m": Material(id="m", name="m", surface=surface or Surface(base_color=(0.5, 0.1, 0.1)))},
        cameras={"c": camera}, floor=Floor(kind=floor), environment=Environment(image="Clear sky"),
        shots=(Shot(id="s", name="s", camera="c", width=SIZE[0], height=SIZE[1], view=view),),
    )  # fmt: skip
    found = photograph.read(path, assets)
    return matching.put_photograph(document, "s", replace(found, **photo)), assets


def pictured(document: Document, assets: AssetStore, size=SIZE, settings=SETTINGS):
    return render(document, assets, document.shots[0], size, settings)


@pytest.mark.parametrize("view", ["Product neutral", "Plain", "Film", "Crisp"])
def test_a_photographs_colours_come_out_as_they_went_in(noise, view, tmp_path):
    """Of every pixel that no ball and no shadow touches, in the picture and in the file, to one code."""
    document, assets = stood(noise, view=view)
    made = pictured(document, assets)
    codes = np.asarray(Image.open(noise)).astype(int)
    pure = (made.under.share >= 0.9999).all(-1)
    assert 0.2 < pure.mean() < 0.95
    assert np.abs(display_picture(made)[..., :3] * 255 - codes)[pure].max() <= 0.51
    write_picture(made, tmp_path / "out.png")
    assert np.abs(np.asarray(Image.open(tmp_path / "out.png")).astype(int) - codes)[pure].max() <= 1


def test_the_cameras_exposure_and_white_leave_the_photograph_alone_and_its_own_brightness_does_not(noise):
    document, assets = stood(noise)
    camera = document.cameras["c"]
    changed = edits.put_camera(document, replace(camera, exposure_stops=2.0, kelvin=3200.0, tint=20.0))
    one, other = pictured(document, assets), pictured(changed, assets)
    pure = (one.under.share >= 0.9999).all(-1) & (other.under.share >= 0.9999).all(-1)
    assert np.abs(display_picture(one) - display_picture(other))[pure].max() < 1 / 255
    ball = one.under.share.max(-1) == 0
    assert ball.any() and np.abs(display_picture(one) - display_picture(other))[ball].max() > 0.1
    lifted = pictured(matching.put_photograph(document, "s", replace(document.shots[0].photograph, stops=-1.0)), assets)
    assert display_picture(lifted)[pure].mean() < display_picture(one)[pure].mean() - 0.1


def test_the_views_own_curve_is_turned_round():
    light = 10 ** np.random.default_rng(2).uniform(-3, 0.5, (1, 4000, 3)).astype(np.float32)
    for view in ("Product neutral", "Plain", "Film", "Crisp"):
        values = show(light, 1.0, view, exact=True)
        back = show(np.ascontiguousarray(light_of(values, view)), 1.0, view, exact=True)
        share = 0.95 if view == "Crisp" else 0.98  # more contrast brings more beyond what a picture tells apart
        assert np.quantile(np.abs(back - values), share) < 1 / 255, view
    dim = np.random.default_rng(2).random((1, 4000, 3)).astype(np.float32) * 0.6
    assert np.abs(show(np.ascontiguousarray(light_of(dim, "Product neutral")), 1.0, "Product neutral") - dim).max() < 1e-4
    assert neutral_back(np.zeros((1, 3), np.float32)) == pytest.approx(0.0)


def test_shadows_fall_on_it_and_cutouts_stand_before_the_ball(tmp_path):
    path = tmp_path / "grey.png"
    Image.new("RGB", SIZE, (150, 150, 150)).save(path)
    document, assets = stood(path)
    made = display_picture(pictured(document, assets))[..., :3]
    x, y = (int(v) for v in project(document.cameras["c"], np.array([[0.0, -8.0, 0.0]]), *SIZE)[0, :2])
    assert made[y : y + 4, x - 12 : x + 13].mean(-1).min() < 150 / 255 - 0.06
    middle = tuple(int(v) for v in project(document.cameras["c"], np.array([[0.0, 0.0, 22.0]]), *SIZE)[0, :2])
    assert abs(made[middle[1], middle[0]] - 150 / 255).max() > 0.05
    corners = tuple((middle[0] + dx, middle[1] + dy) for dx, dy in ((-6, -6), (6, -6), (6, 6), (-6, 6)))
    cut = Cutout("k", "In front", corners)
    hidden = display_picture(pictured(matching.put_photograph(document, "s", replace(document.shots[0].photograph, cutouts=(cut,))), assets))
    assert np.abs(hidden[middle[1] - 4 : middle[1] + 4, middle[0] - 4 : middle[0] + 4, :3] - 150 / 255).max() < 1 / 255


def test_through_glass_it_is_the_photograph_and_a_ball_of_glass_turns_it_upside_down(tmp_path):
    """Red above, blue below: a clear ball shows blue above."""
    path = tmp_path / "halves.png"
    codes = np.zeros((SIZE[1], SIZE[0], 3), np.uint8)
    codes[: SIZE[1] // 2], codes[SIZE[1] // 2 :] = (200, 40, 40), (40, 40, 200)
    Image.fromarray(codes).save(path)
    glass = Surface(transmission_weight=1.0, specular_roughness=0.0, specular_ior=1.5)
    document, assets = stood(path, glass, floor="none")
    document = edits.put_camera(document, replace(document.cameras["c"], position=(0.0, -300.0, 20.0)))
    made = display_picture(pictured(document, assets, settings=replace(SETTINGS, samples=48)))
    cx, cy = (int(v) for v in project(document.cameras["c"], np.array([[0.0, 0.0, 20.0]]), *SIZE)[0, :2])
    above, below = made[cy - 5, cx, :3], made[cy + 5, cx, :3]
    assert above[2] > above[0] + 0.1 and below[0] > below[2] + 0.1


def test_reflections_see_the_dome_and_by_choice_the_photograph(tmp_path):
    """A camera that looks along a sheet of chrome: it shows what lies ahead, green in the photograph alone."""
    path = tmp_path / "green.png"
    Image.new("RGB", SIZE, (30, 200, 30)).save(path)
    chrome = Surface(base_color=(0.9, 0.9, 0.9), base_metalness=1.0, specular_roughness=0.05)
    seen = []
    for mirrored in (False, True):
        document, assets = stood(path, chrome, floor="none", mirrored=mirrored)
        document = edits.change_parts(document, ["b"], mesh=assets.add_mesh(plane(120.0)))
        low = replace(document.cameras["c"], position=(0.0, -160.0, 45.0), target=(0.0, 0.0, 20.0), focal_length_mm=30.0)
        document = edits.put_camera(document, low)
        made = pictured(document, assets)
        light = made.rgb[made.under.share.max(-1) == 0]
        seen.append(float((light[:, 1] - light[:, 0]).mean() / light.mean()))
    assert seen[1] > seen[0] + 0.2


def test_the_floor_gives_its_tone_back_by_choice():
    """A white ball over a floor that the photograph shows red is lit red from below."""
    assets = AssetStore()
    mesh = assets.add_mesh(sphere_mesh(20, 32))
    camera = Camera(id="c", name="c", position=(0.0, -300.0, 30.0), target=(0.0, 0.0, 25.0), focal_length_mm=60.0, shutter=1 / 15)
    base = Document(
        parts={"b": Part(id="b", name="Ball", mesh=mesh, material="m", placement=Placement((0, 0, 24)))}, roots=("b",),
        materials={"m": Material(id="m", name="m", surface=Surface(base_color=(0.8, 0.8, 0.8), specular_weight=0.0))},
        cameras={"c": camera}, shots=(Shot(id="s", name="s", camera="c", width=64, height=48),), backdrop=Backdrop(kind="transparent"),
    )  # fmt: skip
    reds = []
    for back in (False, True):
        document = replace(base, floor=Floor(kind="shadow", gives_back=back, tone=(0.6, 0.05, 0.05)))
        made = render(document, assets, document.shots[0], (64, 48), replace(SETTINGS, samples=32))
        x, y = (int(v) for v in project(camera, np.array([[0.0, -8.0, 6.5]]), 64, 48)[0, :2])
        below = made.rgb[y - 1 : y + 2, x - 2 : x + 3].reshape(-1, 3).mean(0)
        reds.append(below[0] / below[1])
    assert reds[1] > 1.3 * reds[0]


def two_balls(**camera) -> tuple[Document, AssetStore]:
    """A ball behind another, seen by a camera."""
    assets = AssetStore()
    mesh = assets.add_mesh(sphere_mesh(20, 32))
    parts = {
        "near": Part(id="near", name="Near", mesh=mesh, material="r", placement=Placement((0, -120, 20))),
        "far": Part(id="far", name="Far", mesh=mesh, material="g", placement=Placement((0, 60, 20), scale=(2.0, 2.0, 2.0))),
    }
    materials = {i: Material(id=i, name=i, surface=Surface(base_color=c)) for i, c in (("r", (0.7, 0.05, 0.05)), ("g", (0.05, 0.7, 0.05)))}
    seen = Camera(id="c", name="c", position=(0.0, -400.0, 20.0), target=(0.0, 60.0, 20.0), focal_length_mm=60.0, shutter=1 / 15, **camera)
    return (
        Document(
            parts=parts, roots=("near", "far"), materials=materials, cameras={"c": seen}, floor=Floor(kind="plain"),
            shots=(Shot(id="s", name="s", camera="c", width=64, height=48),),
        ),
        assets,
    )  # fmt: skip


def looks(document: Document, assets: AssetStore, samples: int = 8) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Light of the traced picture, and parts and depth of the draft."""
    resolved = resolve(document, {"shot": "s"})
    camera = resolved.cameras["c"]
    scene = SceneBuilder(assets).build(resolved, camera=camera)
    options = options_row(scene, resolved, camera, resolved.render)
    drawn = tracer.draw_draft(scene, camera_row(camera, 64, 48), options, draft.maps_of(scene.arrays, 1.0), 64, 48)
    run = Tracer(scene, camera_row(camera, 64, 48), options, 64, 48)
    run.run(samples)
    return run.frame().rgb, drawn.parts, drawn.depth


@pytest.mark.parametrize("how", ["near cut", "always", "between"])
def test_what_is_nearer_than_the_cut_or_stands_between_is_not_seen(how):
    document, assets = two_balls(near_mm=330.0 if how == "near cut" else 0.0)
    before, parts, _ = looks(two_balls()[0], assets)
    assert parts[24, 32] == 0 and before[24, 32, 0] > 2 * before[24, 32, 1]
    if how != "near cut":
        document = edits.change_parts(document, ["near"], unseen=how)
    after, parts, depth = looks(document, assets)
    assert parts[24, 32] == 1 and after[24, 32, 1] > 2 * after[24, 32, 0]
    assert depth[24, 32] == pytest.approx(420.0, abs=3.0)  # from the camera itself
    # it shades the floor all the same
    bare, _, _ = looks(edits.change_parts(document, ["near"], visible=False), assets, 32)
    shaded, _, _ = looks(document, assets, 32)
    x, y = (int(v) for v in project(document.cameras["c"], np.array([[0.0, -120.0, 0.5]]), 64, 48)[0, :2])
    if how == "near cut":
        return
    assert shaded[min(47, y), x].mean() < 0.8 * bare[min(47, y), x].mean()


def test_what_does_not_stand_between_is_seen():
    """Seen from the side both balls show, though the near one may stand between from the front."""
    document, assets = two_balls()
    side = replace(document.cameras["c"], position=(600.0, -30.0, 20.0), target=(0.0, 60.0, 20.0), focal_length_mm=35.0)
    document = edits.change_parts(edits.put_camera(document, side), ["near"], unseen="between")
    _, parts, _ = looks(document, assets)
    assert (parts == 0).any() and (parts == 1).any()


@pytest.mark.parametrize("bend", [-0.15, 0.2])
def test_a_lens_that_bends_shows_things_where_its_formula_says(bend):
    """A small ball near a corner, by the draft and by `project`."""
    assets = AssetStore()
    mesh = assets.add_mesh(sphere_mesh(4, 24))
    camera = Camera(id="c", name="c", position=(0.0, -300.0, 0.0), target=(0.0, 0.0, 0.0), focal_length_mm=24.0, bend=bend, shift_x=0.05)
    place = np.array([150.0, 0.0, 100.0])
    ball = Part(id="b", name="b", mesh=mesh, placement=Placement(tuple(place)))
    document = Document(
        parts={"b": ball}, roots=("b",), cameras={"c": camera}, floor=Floor(kind="none"),
        shots=(Shot(id="s", name="s", camera="c"),),
    )  # fmt: skip
    scene = SceneBuilder(assets).build(document)
    drawn = tracer.draw_draft(
        scene, camera_row(camera, 640, 480), options_row(scene, document, camera, document.render), draft.maps_of(scene.arrays, 1.0), 640, 480
    )
    rows, columns = np.nonzero(drawn.parts == 0)
    x, y, _ = project(camera, place[None], 640, 480)[0]
    assert (columns.mean() + 0.5, rows.mean() + 0.5) == (pytest.approx(x, abs=0.6), pytest.approx(y, abs=0.6))
    straight = project(replace(camera, bend=0.0), place[None], 640, 480)[0]
    assert np.hypot(straight[0] - x, straight[1] - y) > 8


def test_a_straightened_photograph_shows_straight_what_its_lens_had_bent(tmp_path):
    """Marks where a bending lens shows points of a line; straightened they lie where a straight lens shows them."""
    bend = -0.12
    lens = Camera(id="c", name="c", position=(0.0, -300.0, 0.0), target=(0.0, 0.0, 0.0), focal_length_mm=24.0, bend=bend)
    codes = np.full((480, 640, 3), 30, np.uint8)
    points = np.array([[x, 0.0, 110.0] for x in (-170.0, 0.0, 170.0)])
    for x, y, _ in project(lens, points, 640, 480):
        codes[int(y) - 3 : int(y) + 3, int(x) - 3 : int(x) + 3] = 255
    laid = photograph.Laid(0.5 * 36 / 24, 0.5 * 36 / 24 * 0.75, 0.0, 0.0)
    made = photograph.straightened(codes, laid, bend)
    for x, y, _ in project(replace(lens, bend=0.0), points, 640, 480):
        about = made[int(y) - 12 : int(y) + 12, int(x) - 12 : int(x) + 12, 0].astype(float) - 30
        rows, columns = np.indices(about.shape)
        assert (about * columns).sum() / about.sum() - 11.5 == pytest.approx(x % 1 - 0.5, abs=1.2)
        assert (about * rows).sum() / about.sum() - 11.5 == pytest.approx(y % 1 - 0.5, abs=1.2)
    assert tmp_path.exists()


def test_a_cats_eye_is_the_opening_cut_by_a_shifted_rim():
    """Near the frame's side the opening is narrower across and as high as before; in the middle it is whole."""
    from aulmo.trace.path.lens import aperture

    camera = camera_row(Camera(id="c", name="c", depth_of_field=True, focus=500.0, cats_eye=1.0, focal_length_mm=50.0), 100, 80)
    draws = np.random.default_rng(4).random((4000, 2))
    middle = np.array([aperture(camera, 0.0, 0.0, u, v) for u, v in draws])
    side = np.array([aperture(camera, 18.0 / 50.0, 0.0, u, v) for u, v in draws])
    assert np.abs(middle).max(0) == pytest.approx([1.0, 1.0], abs=0.02)
    assert side[:, 0].min() > -0.02 and np.abs(side[:, 1]).max() < 0.88  # two discs of radius 1 that are 1 apart
    assert (np.hypot(side[:, 0] - 1.0, side[:, 1]) <= 1.0 + 1e-9).all()
    # evenly: the mean of the lens-shaped overlap is its middle
    assert side.mean(0) == pytest.approx([0.5, 0.0], abs=0.02)


def test_white_balance_shows_light_of_its_temperature_as_grey():
    """A grey card under a dome of 3200 K: orange at 6500 K, grey at 3200 K, and as bright."""
    from aulmo.light.photometry import tint

    assets = AssetStore()
    mesh = assets.add_mesh(sphere_mesh(20, 32))
    warm = tuple(float(v) for v in tint(3200.0, (1.0, 1.0, 1.0)) * 0.2)
    shown = []
    for kelvin in (6500.0, 3200.0):
        camera = Camera(id="c", name="c", position=(0.0, -300.0, 20.0), target=(0.0, 0.0, 20.0), kelvin=kelvin, shutter=1 / 15)
        document = Document(
            parts={"b": Part(id="b", name="b", mesh=mesh, material="m", placement=Placement((0, 0, 20)))}, roots=("b",), cameras={"c": camera},
            materials={"m": Material(id="m", name="m", surface=Surface(base_color=(0.5,) * 3, specular_weight=0.0))}, floor=Floor(kind="none"),
            environment=Environment(kind="colour", colour=warm), shots=(Shot(id="s", name="s", camera="c"),),
        )  # fmt: skip
        made = render(document, assets, document.shots[0], (24, 18), replace(SETTINGS, samples=16))
        shown.append(made.rgb[9, 12] / made.rgb[9, 12].sum())
    assert shown[0][0] > 1.6 * shown[0][2]
    assert shown[1] == pytest.approx(1 / 3, abs=0.012)
