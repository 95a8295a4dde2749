"""Lamps: the light they give against closed forms, sampling against their density, both estimators against each other."""

import math

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo.document.records import Camera, Lamp, RenderSettings, Surface
from aulmo.errors import BadValue
from aulmo.trace.camera_rows import camera_rows
from aulmo.trace.compile import arrays as a
from aulmo.trace.compile.entry import entry
from aulmo.trace.lamp import dome as lights, lamps as kernels, light_tree
from aulmo.trace.lamp.lamp_rows import lamp_row, proxy_matrix, proxy_mesh, spot_solid_angle
from aulmo.trace.material import openpbr
from aulmo.trace.options import options_row
from aulmo.trace.path.sampling import draw_2d
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import Tracer
from lobes import cap_grid, misfit, row_of
from shapes import one_part, sphere_mesh
from tracing import Dark, UniformDome, agree, look_down, measured, plane, trace

DOWN = (0.0, 0.0, 0.0)  # a lamp shines along its own -z
SHAPES = {
    "rectangle": Lamp(id="l", name="l", kind="rectangle", position=(30, -20, 400), turn=(20, 10, 0), width=300, height=120),
    "disc": Lamp(id="l", name="l", kind="disc", position=(10, 40, 350), turn=(-15, 0, 0), width=220),
    "ring": Lamp(id="l", name="l", kind="ring", position=(10, 40, 350), turn=(-15, 0, 0), width=220, height=150),
    "sphere": Lamp(id="l", name="l", kind="sphere", position=(50, 0, 300), width=160),
    "tube": Lamp(id="l", name="l", kind="tube", position=(50, 0, 300), turn=(0, 12, 30), width=40, height=500),
    "spot": Lamp(id="l", name="l", kind="spot", position=(0, 0, 400), width=60, cone=50, softness=0.5),
}


def scene_with(*lamps: Lamp):
    """A matt sheet at z = 0 under lamps alone."""
    document, assets = one_part(plane(), Surface(base_color=(0.5, 0.5, 0.5), specular_weight=0.0))
    return replace(document, lamps={lamp.id: lamp for lamp in lamps}, cameras={"c": look_down()}), assets


@entry
def irradiance(scene, options, count):
    """Lux on a card at the origin that faces up."""
    total = 0.0
    for k in range(count):
        s, t = draw_2d(k, np.uint64(3))
        select, _ = draw_2d(k, np.uint64(4))
        up = light_tree.lit_matt(0.0, 0.0, 1.0)
        x, y, z, far, r, g, b, density, _share, _row, _c, _w = lights.sample_lamps(scene, options, 0.0, 0.0, 0.0, up, select, s, t, 0.0)
        if density > 0.0 and z > 0.0:
            total += lights.luminance(r, g, b) * z / density
    return total / count


def lux(*lamps: Lamp, count: int = 1 << 15) -> float:
    document, assets = scene_with(*lamps)
    scene = Dark(assets).build(document)
    options = np.zeros(a.OPT_COLUMNS)
    options[a.OPT_DISTANT_CHANCE] = 1.0 if len(scene.arrays.distant) else 0.0
    return irradiance(scene.arrays, options, count)


def nits(**changes) -> Lamp:
    return Lamp(**{"id": "l", "name": "l", "position": (0, 0, 400), "turn": DOWN, "power": 1000.0, "unit": "nit", **changes})


def test_a_disc_overhead_lights_as_the_closed_form_says():
    assert lux(nits(kind="disc", width=300)) == pytest.approx(math.pi * 1000 * 150**2 / (150**2 + 400**2), rel=2e-3)


def test_a_ring_is_a_disc_without_its_middle():
    def disc(r):
        return math.pi * 1000 * r**2 / (r**2 + 400**2)

    assert lux(nits(kind="ring", width=300, height=200)) == pytest.approx(disc(150) - disc(100), rel=3e-3)


def test_a_ball_overhead_lights_as_the_closed_form_says():
    assert lux(nits(kind="sphere", width=300)) == pytest.approx(math.pi * 1000 * (150 / 400) ** 2, rel=2e-3)


def test_a_rectangle_overhead_lights_as_the_closed_form_says():
    # four corner rectangles (Siegel & Howell): E = L/2 * (A/sqrt(1+A^2) atan(B/sqrt(1+A^2)) + B/sqrt(1+B^2) atan(A/sqrt(1+B^2)))
    p, q = 150 / 400, 60 / 400
    corner = p / math.hypot(1, p) * math.atan(q / math.hypot(1, p)) + q / math.hypot(1, q) * math.atan(p / math.hypot(1, q))
    assert lux(nits(kind="rectangle", width=300, height=120)) == pytest.approx(4 * 1000 / 2 * corner, rel=2e-3)


def test_a_rectangles_solid_angle_is_the_closed_form_from_everywhere():
    """The sum over its corners of arctan(xy / zr), also from close by, from far and from within its own plane."""
    row = lamp_row(Lamp(id="l", name="l", kind="rectangle", position=(0, 0, 0), turn=DOWN, width=300, height=120))
    u, v, n = (row[c : c + 3] for c in (a.LAMP_U, a.LAMP_V, a.LAMP_N))
    rng = np.random.default_rng(4)
    places = np.concatenate([rng.normal(size=(200, 3)) * s for s in (20.0, 200.0, 2e4)] + [[(400.0, 0.0, 0.0), (0.0, 0.0, 1e-3)]])
    for x, y, z in places:
        z = abs(z)
        expected = 0.0
        for sx in (-1, 1):
            for sy in (-1, 1):
                cx, cy = 150 * sx - x, 60 * sy - y
                expected += sx * sy * math.atan2(cx * cy, z * math.sqrt(cx * cx + cy * cy + z * z))
        angle = kernels._rectangle_angle(row, *(x * u + y * v + z * n))[0]
        assert angle == pytest.approx(expected, rel=1e-6, abs=1e-12), (x, y, z)


def test_a_tube_overhead_lights_as_integrated_along_it():
    # thin tube: candela per mm of a Lambertian cylinder seen at right angles is L * diameter; cosines at the card and at the tube
    x = np.linspace(-250, 250, 20001)
    expected = np.trapezoid(1000 * 4 * (400 / np.hypot(x, 400)) ** 2 / (x**2 + 400**2), x)
    assert lux(nits(kind="tube", width=4, height=500)) == pytest.approx(expected, rel=5e-3)


def test_a_thousand_lumen_ball_gives_the_lux_it_should():
    assert lux(nits(kind="sphere", width=60, power=1000.0, unit="lumen", position=(0, 0, 2000))) == pytest.approx(
        1000 / (4 * math.pi) / 2**2, rel=2e-3
    )


@pytest.mark.parametrize("kind", ["point", "spot"])
def test_candela_over_square_metres_are_lux(kind):
    assert lux(nits(kind=kind, width=0, power=500.0, unit="candela", position=(0, 0, 2500))) == pytest.approx(500 / 2.5**2, rel=1e-4)


def test_a_point_lamp_of_lumens_spreads_them_all_round():
    assert lux(nits(kind="point", width=0, power=800.0, unit="lumen", position=(0, 0, 1000))) == pytest.approx(800 / (4 * math.pi), rel=1e-4)


@pytest.mark.parametrize("angle", [0.0, 0.5, 20.0])
def test_a_distant_lamp_gives_the_lux_it_is_named_by(angle):
    # square on it gives its lux; a wide one seen at a tilt follows the cosine as long as none of it sets
    assert lux(nits(kind="distant", power=5000.0, unit="lux", angle=angle)) == pytest.approx(5000, rel=2e-3)
    assert lux(nits(kind="distant", power=5000.0, unit="lux", angle=angle, turn=(60, 0, 0))) == pytest.approx(2500, rel=3e-3)


def test_stops_and_temperature_keep_to_photometry():
    plain = lux(nits(kind="disc", width=100))
    assert lux(nits(kind="disc", width=100, stops=2.0)) == pytest.approx(4 * plain, rel=1e-6)
    assert lux(nits(kind="disc", width=100, kelvin=2700.0)) == pytest.approx(plain, rel=1e-6)  # colour changes, luminance does not


def test_a_spots_lumens_are_what_its_cone_lets_out():
    # a hard cone of half angle h holds 2 pi (1 - cos h)
    assert spot_solid_angle(60.0, 0.0, False) == pytest.approx(2 * math.pi * (1 - math.cos(math.radians(30))), rel=1e-3)
    assert spot_solid_angle(60.0, 1.0, False) < spot_solid_angle(60.0, 0.0, False)


@pytest.mark.parametrize("kind", ["rectangle", "disc", "ring", "sphere", "tube"])
def test_a_sampled_direction_meets_the_lamp_where_and_as_likely_as_it_says(kind):
    row = lamp_row(SHAPES[kind])
    document, assets = scene_with(SHAPES[kind])
    scene = Dark(assets).build(document)
    rng = np.random.default_rng(4)
    met = 0
    for _ in range(400):
        p = rng.uniform(-300, 300, 3) + [0, 0, -100]
        x, y, z, distance, cosine, density = _sample(scene.arrays, row, *p, *rng.random(3))
        if density <= 0.0:
            continue
        met += 1
        t, c = kernels.meet_lamp(row, *p, x, y, z)
        assert t == pytest.approx(distance, rel=1e-5)
        assert c == pytest.approx(cosine, rel=1e-3, abs=1e-4)
        assert kernels.lamp_density(row, *p, x, y, z, t, c) == pytest.approx(density, rel=1e-3)
    assert met > 250


@entry
def _sample(scene, row, px, py, pz, s, t, pick):
    return kernels.sample_lamp(scene, row, px, py, pz, s, t, pick)


@pytest.mark.parametrize("kind", ["rectangle", "disc", "sphere", "tube"])
def test_densities_add_up_to_one_over_the_lamp(kind):
    """Mean of 1 / (density) over samples is the solid angle; compared with counting even directions that meet the lamp."""
    row = lamp_row(SHAPES[kind])
    document, assets = scene_with(SHAPES[kind])
    scene = Dark(assets).build(document)
    p = np.array([20.0, -30.0, 10.0])
    angle = _solid_angle(scene.arrays, row, *p, 1 << 15)
    z = np.random.default_rng(8).uniform(-1, 1, 400_000)
    phi = np.random.default_rng(9).uniform(0, 2 * math.pi, 400_000)
    s = np.sqrt(1 - z * z)
    hits = _count_hits(row, *p, np.column_stack([s * np.cos(phi), s * np.sin(phi), z]))
    expected = 4 * math.pi * hits / len(z)
    assert angle == pytest.approx(expected, rel=5 / math.sqrt(hits))


@entry
def _solid_angle(scene, row, px, py, pz, count):
    total = 0.0
    for k in range(count):
        s, t = draw_2d(k, np.uint64(3))
        density = kernels.sample_lamp(scene, row, px, py, pz, s, t, 0.5)[5]
        if density > 0.0:
            total += 1.0 / density
    return total / count


@entry
def _count_hits(row, px, py, pz, directions):
    n = 0
    for d in directions:
        if kernels.meet_lamp(row, px, py, pz, d[0], d[1], d[2])[0] > 0.0:
            n += 1
    return n


@pytest.mark.parametrize("kind", SHAPES)
def test_a_lamps_light_is_the_same_found_by_aim_or_by_chance(kind):
    """Light sampling with weights against paths that only meet lamps by luck."""
    document, assets = scene_with(SHAPES[kind])
    aimed = measured(document, assets, (24, 24), 64, builder=Dark)
    lucky = measured(document, assets, (24, 24), 4096 if kind == "spot" else 1024, builder=Dark, plain=True)
    agree(aimed, lucky, known=0.012)


def test_a_glossy_floor_mirrors_a_lamp_by_both_estimators():
    document, assets = scene_with(SHAPES["rectangle"])
    document = replace(document, materials={"m": replace(document.materials["m"], surface=Surface(base_metalness=1.0, specular_roughness=0.3))})
    agree(*(measured(document, assets, (24, 24), samples, builder=Dark, plain=samples > 256) for samples in (256, 1024)))


def test_every_lamps_proxy_holds_the_lamp_it_stands_for():
    """Rays that meet the true shape meet the proxy's triangles first."""
    import trimesh

    for kind, lamp in SHAPES.items():
        row = lamp_row(lamp)
        mesh = proxy_mesh(int(row[a.LAMP_KIND]))
        m = proxy_matrix(row)
        body = trimesh.Trimesh(mesh.vertices @ m[:, :3].T + m[:, 3], mesh.triangles, process=False)
        rng = np.random.default_rng(1)
        starts = rng.uniform(-200, 200, (300, 3))
        toward = row[1:4] + rng.uniform(-130, 130, (300, 3)) - starts
        toward /= np.linalg.norm(toward, axis=1)[:, None]
        true = np.array([kernels.meet_lamp(row, *s, *d)[0] for s, d in zip(starts, toward)])
        found = body.ray.intersects_any(starts, toward)
        assert (true > 0).sum() > 10, kind
        assert found[true > 0].all(), kind


def test_a_lamp_is_seen_by_the_camera_only_when_it_should_be():
    hidden = Lamp(id="l", name="l", kind="disc", position=(0, 0, 100), width=100, power=50.0, unit="nit", turn=(180, 0, 0))
    document, assets = scene_with(hidden)
    dark, _ = trace(document, assets, (24, 24), 8, Dark)
    bright, _ = trace(replace(document, lamps={"l": replace(hidden, seen=True)}), assets, (24, 24), 8, Dark)
    assert dark.rgb[12, 12].sum() == 0
    np.testing.assert_allclose(bright.rgb[12, 12], 50.0 * np.ones(3), rtol=0.05)
    behind, _ = trace(replace(document, lamps={"l": replace(hidden, seen=True, turn=DOWN)}), assets, (24, 24), 8, Dark)
    assert behind.rgb[12, 12].mean() < 45  # from behind only the sheet it lights is seen


def test_a_lamp_lights_only_the_parts_it_is_given():
    document, assets = scene_with(replace(SHAPES["rectangle"], lights=("someone else",)))
    assert trace(document, assets, (16, 16), 16, Dark)[0].rgb.max() == 0
    name = next(iter(document.parts))
    document, assets = scene_with(replace(SHAPES["rectangle"], lights=(name,)))
    assert trace(document, assets, (16, 16), 16, Dark)[0].rgb.mean() > 1


def test_switched_off_is_dark():
    assert lux(replace(SHAPES["disc"], on=False)) == 0


def many(count: int) -> list[Lamp]:
    rng = np.random.default_rng(3)
    kinds = ["rectangle", "disc", "sphere", "point", "spot"]
    return [
        Lamp(
            id=f"l{k}",
            name=f"l{k}",
            kind=kinds[k % 5],
            position=tuple(rng.uniform(-800, 800, 3) + [0, 0, 900]),
            turn=tuple(rng.uniform(-60, 60, 3)),
            width=30.0,
            height=30.0,
            power=float(rng.uniform(10, 1000)),
            unit="lumen",
        )  # fmt: skip
        for k in range(count)
    ]


def test_the_tree_picks_lamps_as_often_as_it_says_and_never_misses_one():
    document, assets = scene_with(*many(40))
    scene = Dark(assets).build(document).arrays
    p, n = np.array([50.0, -20.0, 0.0]), np.array([0.0, 0.0, 1.0])
    aim = light_tree.lit_matt(*n)
    chances = np.array([light_tree.lamp_chance(scene.nodes, scene.lamp_trail[k], scene.lamp_depth[k], *p, aim) for k in range(40)])
    assert chances.sum() == pytest.approx(1.0, abs=1e-9)
    counts = np.zeros(40)
    for u in (np.arange(20000) + 0.5) / 20000:
        k, chance, rest = light_tree.pick_lamp(scene.nodes, *p, aim, u)
        counts[k] += 1
        assert chance == pytest.approx(chances[k], rel=1e-9)
        assert 0 <= rest < 1
    np.testing.assert_allclose(counts / 20000, chances, atol=2e-3)
    # every lamp that lights the card can be picked
    for k in range(40):
        *_, distance, cosine, density = _sample(scene, scene.lamps[k], *p, 0.5, 0.5, 0.5)
        if density != 0.0 and kernels.lamp_light(scene, scene.lamps[k], *(p - scene.lamps[k, 1:4]) / np.linalg.norm(p - scene.lamps[k, 1:4]))[0] > 0:
            if scene.lamps[k, 3] > 40:
                assert chances[k] > 0


@pytest.mark.parametrize(
    "surface",
    [
        Surface(base_color=(0.9, 0.7, 0.4), base_metalness=1.0, specular_roughness=0.3),
        Surface(base_color=(0.1, 0.1, 0.1), specular_weight=0.0, coat_weight=1.0, coat_roughness=0.25),
    ],
    ids=["brass", "lacquer"],
)
def test_a_glossy_surface_picks_the_lamps_it_mirrors(surface):
    """The second moment of the light of one pick, which is its noise, against picking as for a matt surface."""
    document, assets = scene_with(*many(60))
    scene = Dark(assets).build(document).arrays
    m, table, films = row_of(surface)
    light, glossy, matt = np.zeros((3, 60))
    moments = []
    for view in ((0.0, 0.6, 0.8), (0.5, 0.0, 0.75**0.5), (-0.2, -0.2, 0.92**0.5)):
        aim = openpbr.seen_by(m, openpbr.lobe_odds(m, table, *view), 0.0, 0.0, 1.0, *(-c for c in view), view[2])
        for k, lamp in enumerate(scene.lamps[:60]):
            x, y, z, far, _cosine, density = _sample(scene, lamp, 0.0, 0.0, 0.0, 0.5, 0.5, 0.5)
            weight = 0.0
            if z > 0 and density != 0:
                weight = 1e6 / far**2 if density < 0 else 1 / density
            seen = weight * kernels.lamp_light(scene, lamp, -x, -y, -z)[1] if weight else 0.0
            light[k] = seen * openpbr.evaluate(m, table, films, *view, x, y, z, False)[1] if seen else 0.0
            leaf = scene.lamp_trail[k], scene.lamp_depth[k], 0.0, 0.0, 0.0
            glossy[k] = light_tree.lamp_chance(scene.nodes, *leaf, aim)
            matt[k] = light_tree.lamp_chance(scene.nodes, *leaf, light_tree.lit_matt(0.0, 0.0, 1.0))
        lit = light > 0
        assert lit.sum() > 20 and (glossy[lit] > 0).all()
        moments.append(((light[lit] ** 2 / glossy[lit]).sum() / light.sum() ** 2, (light[lit] ** 2 / matt[lit]).sum() / light.sum() ** 2))
    ours, theirs = np.mean(moments, 0)
    assert ours - 1 < 0.5 * (theirs - 1)


def test_many_lamps_light_like_the_sum_of_each():
    each = sum(lux(lamp, count=1 << 12) for lamp in many(12))
    assert lux(*many(12), count=1 << 17) == pytest.approx(each, rel=0.02)


def test_choosing_by_promise_is_far_less_noisy_than_choosing_evenly():
    document, assets = scene_with(*many(200))
    even, _ = trace(document, assets, (24, 24), 16, Dark, uniform=True)
    chosen, _ = trace(document, assets, (24, 24), 16, Dark)
    truth, _ = trace(document, assets, (24, 24), 512, Dark)
    assert ((even.rgb - truth.rgb) ** 2).mean() > 5 * ((chosen.rgb - truth.rgb) ** 2).mean()


def test_a_portal_changes_the_noise_and_not_the_light():
    """A closed box with a window under an even sky: the same light with and without the portal, less noise with it."""
    n, u = 200.0, 60.0
    walls = [
        [(-n, -n, 0), (n, -n, 0), (n, n, 0), (-n, n, 0)], [(-n, -n, n), (-n, n, n), (n, n, n), (n, -n, n)],
        [(-n, n, 0), (n, n, 0), (n, n, n), (-n, n, n)], [(-n, -n, 0), (-n, n, 0), (-n, n, n), (-n, -n, n)],
        [(n, -n, 0), (n, -n, n), (n, n, n), (n, n, 0)],
        [(-n, -n, 0), (-n, -n, n), (-u, -n, n), (-u, -n, 0)], [(u, -n, 0), (u, -n, n), (n, -n, n), (n, -n, 0)],
    ]  # fmt: skip
    from aulmo.document.meshes import Mesh

    points = np.array(walls, np.float32).reshape(-1, 3)
    quads = np.arange(len(walls))[:, None] * 4
    triangles = np.concatenate([quads + [0, 1, 2], quads + [0, 2, 3]]).astype(np.uint32)
    normals = np.repeat(np.array([np.cross(np.subtract(w[1], w[0]), np.subtract(w[2], w[0])) for w in walls], float), 4, 0)
    normals /= np.linalg.norm(normals, axis=1)[:, None]
    room = Mesh(points, normals.astype(np.float32), triangles, np.zeros(0, np.int32))
    document, assets = one_part(room, Surface(base_color=(0.6, 0.6, 0.6), specular_weight=0.0))
    eye = Camera(id="c", name="c", position=(0, 150, 150), target=(0, -50, 0), focal_length_mm=24.0)
    document = replace(document, cameras={"c": eye})
    window = Lamp(id="w", name="w", kind="portal", position=(0, -n, n / 2), turn=(90, 0, 0), width=2 * u, height=n)
    bare, _ = trace(document, assets, (24, 24), 256, UniformDome)
    opened, _ = trace(replace(document, lamps={"w": window}), assets, (24, 24), 256, UniformDome)
    assert opened.rgb.mean() == pytest.approx(bare.rgb.mean(), rel=0.02)
    few, tracer = trace(document, assets, (24, 24), 32, UniformDome)
    few_opened, tracer_opened = trace(replace(document, lamps={"w": window}), assets, (24, 24), 32, UniformDome)
    assert tracer_opened.noise() < 0.8 * tracer.noise()


def test_nonsense_is_a_sentence():
    with pytest.raises(BadValue, match="makes no sense"):
        lamp_row(Lamp(id="l", name="Key", power=float("nan")))


def test_a_ball_between_lamp_and_sheet_casts_its_shadow():
    document, assets = scene_with(SHAPES["spot"])
    mesh = assets.add_mesh(sphere_mesh(20.0, 32))
    from aulmo.document import edits
    from aulmo.document.records import Part, Placement

    shaded = edits.add_parts(document, [Part(id="ball", name="Ball", mesh=mesh, placement=Placement((60, 0, 60)))], ["ball"])
    lit, shadow = (trace(d, assets, (32, 32), 32, Dark)[0].rgb[..., 1] for d in (document, shaded))
    assert shadow.min() < 0.3 * lit.mean()


def test_the_scene_of_a_builder_without_lamps_has_no_tree():
    document, assets = scene_with()
    arrays = SceneBuilder(assets).build(document).arrays
    assert len(arrays.nodes) == len(arrays.lamps) == 0


@entry
def _density_of(lamp, px, py, pz, where):
    """Density claimed for directions from a point; zero beside the lamp."""
    out = np.zeros(len(where))
    for k in range(len(where)):
        x, y, z = where[k]
        distance, cosine = kernels.meet_lamp(lamp, px, py, pz, x, y, z)
        if distance > 0.0:
            out[k] = kernels.lamp_density(lamp, px, py, pz, x, y, z, distance, cosine)
    return out


@pytest.mark.parametrize("kind", ["rectangle", "disc", "ring", "sphere", "tube"])
def test_lamps_are_sampled_with_the_density_claimed(kind):
    """Chi-square over a cap of equal solid angles round the lamp."""
    document, assets = scene_with(SHAPES[kind])
    scene = SceneBuilder(assets).build(document).arrays
    lamp, at = scene.lamps[0], (40.0, 25.0, 10.0)
    rng, count, rows, columns, fine = np.random.default_rng(4), 1 << 14, 12, 16, 96
    found = np.array([_sample(scene, lamp, *at, *rng.random(3))[:3] for _ in range(count)])
    axis = np.array(SHAPES[kind].position) - at
    axis /= np.linalg.norm(axis)
    across = np.cross(axis, [0.0, 1.0, 0.0])
    across /= np.linalg.norm(across)
    frame = np.stack([across, np.cross(axis, across), axis])
    local = found @ frame.T
    low = local[:, 2].min() - 0.01
    observed, _, _ = np.histogram2d(
        local[:, 2], np.arctan2(local[:, 1], local[:, 0]), bins=(rows, columns), range=((low, 1), (-math.pi, math.pi))
    )  # fmt: skip
    where = cap_grid(low, rows * fine, columns * fine) @ frame
    density = _density_of(lamp, *at, where).reshape(rows, fine, columns, fine).mean((1, 3))
    expected = density * 2 * math.pi * (1 - low) / (rows * columns) * count
    assert expected.sum() == pytest.approx(count, rel=0.02)
    assert (expected > 12).sum() > 20
    # a tube's density grows without bound toward its outline: cells there are integrated to about a hundredth, hence the margin
    assert misfit(observed, expected) < 1.3


def test_choosing_among_candidates_changes_the_noise_and_not_the_light():
    document, assets = scene_with(*many(60))
    frames = {}
    for digits in (0, 3):
        scene = Dark(assets).build(document)
        camera = document.cameras["c"]
        options = options_row(scene, document, camera, RenderSettings(clamp_stops=30))
        options[a.OPT_CANDIDATES] = options[a.OPT_LATER_CANDIDATES] = digits
        tracer = Tracer(scene, camera_rows(camera, 48, 36), options, 48, 36)
        tracer.run(64)
        frames[digits] = tracer.frame().rgb[..., 1].astype(float), tracer.noise()
    assert frames[3][0].mean() == pytest.approx(frames[0][0].mean(), rel=0.004)
    assert frames[3][1] < 0.8 * frames[0][1]
