"""Whole pictures against closed forms: a matt ball, a lit plane, Beer's law, depth of field, the floor that catches shadow."""

import math

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.records import Backdrop, Camera, Document, Environment, Lamp, Material, Part, Placement, RenderSettings, Surface
from aulmo.frame.exposure import white_nits
from aulmo.trace.camera_rows import camera_row
from aulmo.trace.compile import arrays as a
from aulmo.trace.options import options_row
from aulmo.trace.path.film import new_film, tile_noise
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import Tracer, predict, render
from shapes import box_mesh, one_part, sphere_mesh
from tracing import NITS, Dark, DistantSun, UniformDome, agree, measured, plane, trace

MATT = Surface(base_color=(0.5, 0.5, 0.5), specular_weight=0.0)


def test_a_matt_ball_in_a_uniform_dome_has_its_albedo_everywhere():
    document, assets = one_part(sphere_mesh(20, 96), MATT)
    frame, _ = trace(document, assets, builder=UniformDome, samples=64)
    middle = frame.rgb[20:40, 30:50]
    np.testing.assert_allclose(middle.mean((0, 1)), 0.5 * NITS, rtol=0.01)


@pytest.mark.parametrize(
    "surface",
    [
        Surface(base_color=(1, 1, 1), specular_weight=0.0),
        Surface(base_color=(1, 1, 1), specular_roughness=0.3),
        Surface(base_color=(1, 1, 1), base_metalness=1.0, specular_roughness=0.3),
        Surface(base_color=(1, 1, 1), coat_weight=1.0, coat_roughness=0.05),
        Surface(base_color=(1, 1, 1), transmission_weight=1.0, specular_roughness=0.0),
        Surface(base_color=(1, 1, 1), transmission_weight=1.0, specular_roughness=0.4),
        Surface(base_color=(1, 1, 1), transmission_weight=1.0, geometry_thin_walled=True, specular_roughness=0.0),
    ],
    ids=["matt", "gloss", "metal", "enamel", "clear glass", "frosted glass", "pane"],
)
def test_a_white_ball_cannot_be_seen_in_a_white_furnace(surface):
    document, assets = one_part(sphere_mesh(20, 96), surface)
    frame, _ = trace(document, assets, builder=UniformDome, samples=48, settings=RenderSettings(clamp_stops=30, bounces=60, straight_glass=False))
    np.testing.assert_allclose(frame.rgb[20:40, 30:50].mean((0, 1)), NITS, rtol=0.03)
    np.testing.assert_allclose(frame.rgb[:5].mean((0, 1)), NITS, rtol=1e-3)


def looking_down(document) -> Document:
    """The camera straight above the origin."""
    return edits.put_camera(document, replace(document.cameras["c"], position=(0.0, -1.0, 500.0), target=(0.0, 0.0, 0.0)))


@pytest.mark.parametrize("tilt", [0.0, 30.0, 60.0])
def test_a_matt_plane_follows_lamberts_cosine(tilt):
    document, assets = one_part(plane(), MATT)
    document = edits.place_parts(looking_down(document), {"ball": Placement(turn=(tilt, 0, 0))})
    frame, _ = trace(document, assets, builder=DistantSun, samples=64)
    # luminance of a matt surface: albedo * illuminance / pi
    expected = 0.5 * DistantSun.lux * math.cos(math.radians(tilt)) / math.pi
    assert frame.rgb[25:35, 35:45, 1].mean() == pytest.approx(expected, rel=0.02)


def test_glow_that_is_partly_there_is_the_same_in_every_sample():
    """A flame's light does not wait for chance to find it there: half of it is in the first sample."""
    document, assets = one_part(
        plane(100.0), Surface(base_color=(0, 0, 0), specular_weight=0, emission_luminance=800.0, geometry_opacity=0.5),
        position=(0.0, 0.0, 300.0), target=(0.0, 0.0, 0.0),
    )  # fmt: skip
    once, _ = trace(document, assets, (32, 24), 1, Dark)
    np.testing.assert_allclose(once.rgb[8:16, 10:22], 400.0, rtol=1e-4)


def test_a_glowing_disc_is_as_bright_as_it_says():
    document, assets = one_part(sphere_mesh(20, 48), Surface(base_color=(0, 0, 0), specular_weight=0, emission_luminance=777.0))
    frame, _ = trace(document, assets, samples=8)
    assert frame.rgb[28:32, 38:42, 1].mean() == pytest.approx(777.0, rel=1e-3)


def two_estimators(document, assets, region, samples=256, settings=None):
    """A region's light with and without light sampling."""
    settings = settings or RenderSettings(clamp_stops=40)
    return [measured(document, assets, (40, 30), samples, region, settings=settings, plain=plain) for plain in (False, True)]


@pytest.mark.parametrize(
    "surface",
    [MATT, Surface(base_metalness=1.0, specular_roughness=0.35), Surface(coat_weight=1.0, coat_roughness=0.2)],
    ids=["matt", "metal", "enamel"],
)
def test_light_sampling_agrees_with_waiting_for_luck(surface):
    document, assets = one_part(sphere_mesh(20, 64), surface, floor="plain")
    document = replace(edits.place_parts(document, {"ball": Placement((0, 0, 20))}), environment=Environment(image="White tent"))
    agree(*two_estimators(document, assets, np.s_[5:28, 8:32]))


def test_a_glowing_part_lights_its_neighbour_the_same_by_both_estimators():
    document, assets = one_part(plane(400), MATT)
    glow = Material(id="g", name="Glow", surface=Surface(base_color=(0, 0, 0), specular_weight=0, emission_luminance=4000.0))
    document = edits.put_material(looking_down(document), glow)
    lamp = Part(id="lamp", name="Lamp", mesh=assets.add_mesh(sphere_mesh(18, 24)), material="g", placement=Placement((70, 0, 60)))
    document = replace(edits.add_parts(document, [lamp], ["lamp"]), environment=Environment(exposure=-30))
    agree(*two_estimators(document, assets, np.s_[8:22, 4:18], 1024), known=0.025)


def test_glass_that_stands_on_the_floor_reflects_within_its_foot():
    """It stands on air, as things do: what is seen in its walls is the same as with the floor plainly below it."""
    glass = Surface(base_color=(1, 1, 1), transmission_weight=1.0, specular_ior=1.52, specular_roughness=0.0)
    document, assets = one_part(box_mesh(30.0), glass, floor="plain")
    document = edits.place_parts(document, {"ball": Placement((0.0, 0.0, 15.0))})
    eye = replace(document.cameras["c"], position=(60.0, -170.0, 70.0), target=(0.0, 0.0, 14.0), focal_length_mm=110.0)
    document = replace(document, environment=Environment(image="Loft"), cameras={"c": eye})
    lower = replace(document, floor=replace(document.floor, height=document.floor.height - 0.03))
    standing, hovering = (trace(d, assets, (48, 36), 128)[0].rgb[8:28, 12:36].astype(float) for d in (document, lower))
    assert standing.std() > 0.1 * standing.mean()
    assert np.abs(standing - hovering).mean() < 0.06 * standing.mean()


@pytest.mark.parametrize("straight", [True, False])
def test_light_through_a_half_there_sheet_is_the_same_by_both_estimators(straight):
    """What is partly there lets its share of light through, whether or not clear glass is passed straight."""
    document, assets = one_part(plane(400), MATT)
    veil = Material(id="v", name="Veil", surface=replace(MATT, geometry_opacity=0.5))
    document = edits.put_material(looking_down(document), veil)
    sheet = Part(id="sheet", name="Sheet", mesh=next(iter(document.parts.values())).mesh, material="v", placement=Placement((0, 0, 60)))
    document = edits.add_parts(document, [sheet], ["sheet"])
    below = replace(document.cameras["c"], position=(0.0, -150.0, 40.0), target=(0.0, 0.0, 0.0))
    document = replace(document, environment=Environment(image="White tent"), cameras={"c": below})
    settings = RenderSettings(straight_glass=straight, clamp_stops=30)
    agree(*two_estimators(document, assets, np.s_[16:26, 8:32], 256, settings))


@pytest.mark.parametrize("thickness", [5.0, 20.0])
def test_a_tinted_pane_follows_beers_law(thickness):
    """A slab before a white backdrop: tint^(thickness / depth) times both boundaries' transmission."""
    surface = Surface(transmission_weight=1.0, specular_roughness=0.0, transmission_color=(0.8, 0.5, 0.2), transmission_depth=10.0)
    document, assets = one_part(box_mesh(100), surface)
    document = edits.place_parts(document, {"ball": Placement(scale=(1, thickness / 100, 1))})
    document = replace(document, backdrop=Backdrop(kind="colour", top=(1, 1, 1)), environment=Environment(exposure=-30))
    frame, _ = trace(document, assets, samples=96)
    white = white_nits(document.cameras["c"])
    got = frame.rgb[28:32, 38:42].mean((0, 1)) / white
    tint = np.array([0.8, 0.5, 0.2]) ** (thickness / 10.0)
    r = 0.04  # two boundaries of index 1.5 with all inner reflections (Airy sum without interference)
    expected = (1 - r) ** 2 * tint / (1 - r**2 * tint**2)
    np.testing.assert_allclose(got, expected, rtol=0.03)


def test_a_thin_pane_counts_both_its_sides():
    surface = Surface(transmission_weight=1.0, specular_roughness=0.0, geometry_thin_walled=True)
    document, assets = one_part(box_mesh(100), surface)
    document = edits.place_parts(document, {"ball": Placement(scale=(1, 1e-4, 1))})
    document = replace(document, backdrop=Backdrop(kind="colour", top=(1, 1, 1)), environment=Environment(exposure=-30))
    frame, _ = trace(document, assets, samples=96)
    once = (1 - 0.04) / (1 + 0.04)  # (1 - R) of a pane with R' = 2R / (1 + R)
    assert frame.rgb[28:32, 38:42].mean() / white_nits(document.cameras["c"]) == pytest.approx(once**2, rel=0.02)  # the box has two walls


@pytest.mark.parametrize("scale", [1e-3, 1e-1, 1e2, 1e4])
def test_the_picture_does_not_depend_on_the_models_scale(scale):
    def at(s):
        document, assets = one_part(sphere_mesh(20, 64), Surface(coat_weight=1.0), floor="cove")
        document = edits.place_parts(document, {"ball": Placement((0, 0, 20 * s), scale=(s, s, s))})
        camera = document.cameras["c"]
        document = edits.put_camera(document, replace(camera, position=(60 * s, -200 * s, 80 * s), target=(0, 0, 20 * s)))
        return trace(document, assets, samples=64)[0].rgb

    one, other = at(1.0), at(scale)
    assert other.mean() == pytest.approx(one.mean(), rel=0.01)
    assert np.abs(other - one).mean() < 0.06 * one.mean()


def test_a_coarse_smooth_ball_has_no_black_band_at_the_terminator():
    """Shadow rays start from the smooth surface, so facets do not shadow themselves where the light grazes."""
    fine, coarse = sphere_mesh(20, 200), sphere_mesh(20, 10)
    rows = []
    for mesh in (fine, coarse):
        document, assets = one_part(mesh, MATT)
        document = edits.put_camera(document, replace(document.cameras["c"], position=(0.0, -200.0, 1.0)))
        frame, _ = trace(document, assets, builder=DistantSun, samples=64)
        rows.append(frame.rgb[:, 36:44, 1].mean(1))
    lit = rows[0] > 0.1 * rows[0].max()  # the outermost pixel belongs to the polygon's silhouette
    lit &= np.arange(60) < 29
    assert (rows[1][lit] > 0.45 * rows[0][lit]).all()


def disc_of_confusion(focus: float, distance: float, focal: float, f_stop: float) -> float:
    """Diameter on the sensor, mm, of a point at `distance` (thin lens with the focal length as image distance)."""
    return focal / f_stop * abs(distance - focus) / distance * focal / focus


@pytest.mark.parametrize("blades", [0, 6])
def test_blur_is_as_wide_as_the_circle_of_confusion(blades):
    document, assets = one_part(sphere_mesh(0.8, 24), Surface(base_color=(0, 0, 0), specular_weight=0, emission_luminance=1e6))
    camera = Camera(
        id="c",
        name="C",
        position=(0, -1000, 0),
        target=(0, 0, 0),
        focal_length_mm=100,
        sensor_mm=36,
        f_stop=2,
        depth_of_field=True,
        focus=700,
        blades=blades,
    )
    document = replace(edits.put_camera(document, camera), environment=Environment(exposure=-60), backdrop=Backdrop(kind="colour", top=(0, 0, 0)))
    frame, _ = trace(document, assets, size=(180, 135), samples=256)
    light = frame.rgb[..., 1].sum(0)
    place = np.arange(180) * 36 / 180
    pixel = 0.2**2 / 6  # what the pixel's own tent filter adds to the variance
    spread = math.sqrt((light * (place - (light * place).sum() / light.sum()) ** 2).sum() / light.sum() - pixel)
    # a disc of diameter D spreads by D / 4; a hexagon in the same circle by sqrt(5 / 24) of its radius
    factor = 4.0 if blades == 0 else 2 / math.sqrt(5 / 24)
    assert factor * spread == pytest.approx(disc_of_confusion(700, 1000, 100, 2), rel=0.06)


def test_a_sharp_camera_ignores_the_lens():
    document, _ = one_part(sphere_mesh())
    camera = replace(document.cameras["c"], focus=100.0, depth_of_field=False)
    assert camera_row(camera, 80, 60)[a.CAM_LENS_RADIUS] == 0


def shadow_scene() -> tuple[Document, AssetStore]:
    document, assets = one_part(box_mesh(40), MATT, floor="shadow")
    document = edits.place_parts(document, {"ball": Placement((0, 0, 20))})
    camera = replace(document.cameras["c"], position=(0.0, -200.0, 160.0), focal_length_mm=40.0)
    return replace(edits.put_camera(document, camera), backdrop=Backdrop(kind="transparent")), assets


def test_the_shadow_floor_is_clear_where_light_falls_and_dark_under_the_thing():
    document, assets = shadow_scene()
    frame, _ = trace(document, assets, builder=UniformDome, samples=96)
    assert frame.alpha[58, 2] < 0.12
    assert frame.alpha[30, 40] == pytest.approx(1.0)
    beside = frame.alpha[38:48, 40].max()
    assert beside > 0.2


def test_a_colour_backdrop_is_darkened_by_the_shadow_and_exact_away_from_it():
    document, assets = shadow_scene()
    document = replace(document, backdrop=Backdrop(kind="colour", top=(0.5, 0.5, 0.5)))
    frame, _ = trace(document, assets, builder=UniformDome, samples=96)
    white = white_nits(document.cameras["c"])
    assert frame.alpha.min() == pytest.approx(1.0)
    assert frame.rgb[2, 2].mean() / white == pytest.approx(0.5, rel=0.05)
    assert frame.rgb[38:46, 40].mean() / white < 0.46


def test_a_half_opaque_part_is_half_there():
    document, assets = one_part(sphere_mesh(), Surface(geometry_opacity=0.25))
    document = replace(document, backdrop=Backdrop(kind="transparent"))
    frame, _ = trace(document, assets, samples=96)
    # two walls, each covering a quarter
    assert frame.alpha[28:32, 38:42].mean() == pytest.approx(1 - 0.75**2, abs=0.03)


def test_the_same_seed_gives_the_same_picture_on_one_thread_and_on_many():
    document, assets = one_part(sphere_mesh(), floor="plain")
    films = []
    for threads in (1, 2):
        scene = SceneBuilder(assets).build(document)
        options = options_row(scene, document, document.cameras["c"], RenderSettings())
        tracer = Tracer(scene, camera_row(document.cameras["c"], 80, 60), options, 80, 60)
        tracer.run(4, threads=threads)
        films.append(tracer.film.copy())
    np.testing.assert_array_equal(films[0], films[1])


def test_noise_falls_as_samples_grow_and_is_measured():
    document, assets = one_part(sphere_mesh(), floor="plain")
    _, few = trace(document, assets, samples=16)
    _, many = trace(document, assets, samples=144)
    assert 0 < many.noise() < few.noise() / 2.2
    assert tile_noise(new_film(4, 4), 0, 0, 4, 4, 1000.0) == 1e9


def test_a_cancelled_pass_says_so():
    document, assets = one_part(sphere_mesh())
    scene = SceneBuilder(assets).build(document)
    options = options_row(scene, document, document.cameras["c"], RenderSettings())
    tracer = Tracer(scene, camera_row(document.cameras["c"], 80, 60), options, 80, 60)
    tracer.cancel()
    assert tracer.run(4) is False
    assert tracer.samples == 0


def test_a_render_stops_by_its_rule_and_can_be_cancelled():
    document, assets = one_part(sphere_mesh(), floor="plain")
    shot = document.shots[0]
    by_count = render(document, assets, shot, (64, 48), RenderSettings(stop="samples", samples=12, denoise=False))
    assert by_count.samples == 12
    by_noise = render(document, assets, shot, (64, 48), RenderSettings(stop="noise", noise_percent=8.0))
    assert by_noise.noise <= 0.08
    assert np.isfinite(by_noise.rgb).all()
    assert render(document, assets, shot, (640, 480), RenderSettings(stop="samples", samples=4000), lambda p, t: False) is None


def test_the_prediction_is_near_what_the_render_takes():
    document, assets = one_part(sphere_mesh(), floor="plain")
    shot = document.shots[0]
    settings = RenderSettings(stop="noise", noise_percent=6.0, denoise=False)
    predicted = predict(document, assets, shot, (160, 120), settings)
    done = render(document, assets, shot, (160, 120), settings)
    assert done.samples / 2.5 < predicted.samples < done.samples * 2.5


def test_denoising_brings_a_noisy_picture_nearer_to_the_truth():
    document, assets = one_part(sphere_mesh(), Surface(coat_weight=1.0), floor="plain")
    shot = document.shots[0]
    truth = render(document, assets, shot, (80, 60), RenderSettings(stop="samples", samples=256, denoise=False)).rgb
    noisy = render(document, assets, shot, (80, 60), RenderSettings(stop="samples", samples=8))
    assert np.abs(noisy.rgb - truth).mean() < 0.6 * np.abs(noisy.raw - truth).mean()


def test_an_edit_rebuilds_only_what_it_touches():
    document, assets = one_part(sphere_mesh(), floor="plain")
    builder = SceneBuilder(assets)
    first = builder.build(document)
    recoloured = edits.change_surface(document, "m", base_color=(0.9, 0.1, 0.1))
    second = builder.build(recoloured)
    moved = builder.build(edits.place_parts(document, {"ball": Placement((3, 0, 0))}))
    assert second.arrays.points is first.arrays.points
    assert second.arrays.env is first.arrays.env
    assert moved.arrays.points is first.arrays.points


def test_ten_thousand_copies_hold_one_mesh():
    document, assets = one_part(sphere_mesh(1.0, 16))
    mesh = document.parts["ball"].mesh
    copies = [
        Part(id=f"p{k}", name=f"P{k}", mesh=mesh, material="m", placement=Placement((3.0 * (k % 100), 3.0 * (k // 100), 0))) for k in range(10_000)
    ]
    document = edits.add_parts(document, copies, [c.id for c in copies])
    builder = SceneBuilder(assets)
    dark = builder.build(document)
    assert len(dark.part_ids) == 10_001
    assert len(dark.arrays.points) == len(assets.mesh(mesh).vertices)
    lit = builder.build(edits.put_lamp(document, Lamp(id="l", name="Key", kind="rectangle", position=(0, 0, 500), width=200, height=200)))
    assert len(lit.part_ids) == 10_001  # a lamp has a body of its own, and still no copy has one
    assert len(assets.mesh(mesh).vertices) < len(lit.arrays.points) < len(assets.mesh(mesh).vertices) + 100


def test_the_floor_lies_under_and_the_cove_rises_behind():
    from aulmo.trace.scene import floor_mesh

    cove = floor_mesh("cove", 100.0)
    assert cove.vertices[:, 2].min() == 0 and cove.vertices[:, 2].max() > 500
    assert cove.vertices[cove.vertices[:, 2] > 400][:, 1].min() > 0
    cells = cove.vertices[cove.triangles.astype(int)]
    facing = np.cross(cells[:, 1] - cells[:, 0], cells[:, 2] - cells[:, 0])
    assert (np.einsum("ij,ij->i", facing, cove.normals[cove.triangles[:, 0].astype(int)]) > 0).all()
