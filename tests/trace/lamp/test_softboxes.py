"""Softboxes on the dome as light: how much, from where, in which order, and that both ways of finding it agree."""

import numpy as np
import pytest
from msgspec.structs import replace
from scipy import stats

from aulmo.document.assets import AssetStore
from aulmo.document.records import Environment, Floor, GradeStop, Softbox, Surface
from aulmo.light.dome_map import direction, map_directions
from aulmo.light.softbox import WHITE_NITS, frame
from aulmo.surface.colour import LUMINANCE
from aulmo.trace.compile import arrays as a
from aulmo.trace.lamp.softbox_rows import BoxBook
from aulmo.trace.lamp.softboxes import box_density, paint_box, paint_over, sample_box
from dressing import dressed
from tracing import look_down, plane, trace

BARE = {"edge": 0.0, "hot": 0.0, "stops": 0.0, "corner": 0.0}
SOME = {
    "plain": Softbox("b", "B", width=40, height=24, elevation=50, turn=20),
    "round": Softbox("b", "B", shape="round", width=70, height=40, elevation=20, **BARE),
    "whole": Softbox("b", "B", shape="round", width=360, height=360, **BARE),
    "ring": Softbox("b", "B", shape="ring", width=90, height=90, inner=0.7, elevation=80),
    "half": Softbox("b", "B", shape="half", width=60, height=30, azimuth=-130),
    "polygon": Softbox("b", "B", shape="polygon", sides=5, width=50, height=50, edge=0.3),
    "strip": Softbox("b", "B", bent=True, width=300, height=8, turn=70, elevation=30),
    "tall": Softbox("b", "B", bent=True, width=6, height=150),
    "graded": Softbox("b", "B", kind="graded", width=80, height=50),
    "picture": Softbox("b", "B", kind="picture", picture="Hot tube", width=30, height=90),
}


def soft(*boxes):
    return BoxBook(AssetStore()).gather(boxes)


def light_over(boxes, directions, ground=0.0):
    flat = np.ascontiguousarray(directions.reshape(-1, 3), float)
    out = np.full((len(flat), 3), float(ground))
    got = soft(*boxes)
    paint_over(got.rows, got.lights, flat, out)
    return out.reshape(directions.shape)


def solid_angles(height):
    return (2 * np.pi / (2 * height) * np.diff(-np.cos(np.arange(height + 1) / height * np.pi)))[:, None]


@pytest.mark.parametrize(
    "box, closed",
    [
        (Softbox("b", "B", shape="round", width=60, height=60, **BARE), 2 * np.pi * (1 - np.cos(np.radians(30)))),
        (Softbox("b", "B", shape="ring", inner=0.5, width=80, height=80, **BARE), 2 * np.pi * (np.cos(np.radians(20)) - np.cos(np.radians(40)))),
        (Softbox("b", "B", width=60, height=90, turn=33, elevation=20, **BARE), 4 * np.arcsin(np.sin(np.radians(30)) * np.sin(np.radians(45)))),
        (Softbox("b", "B", bent=True, width=200, height=10, turn=15, **BARE), np.radians(200) * 2 * np.sin(np.radians(5))),
        (Softbox("b", "B", shape="polygon", sides=4, width=20, height=20, **BARE), 2 * np.radians(10) ** 2),
    ],
    ids=["round", "ring", "rectangle", "strip", "square on its point"],
)
def test_a_softbox_is_as_large_as_its_degrees_say(box, closed):
    """Solid angles: of a cap, of the zone between two, of a flat rectangle (Arvo 1995), of a lune's part; a small square nearly flat."""
    seen = light_over([box], map_directions(2048, 1024))[..., 1] > 0
    assert float((seen * solid_angles(1024)).sum()) == pytest.approx(closed, rel=0.012)


def test_it_lies_where_azimuth_and_elevation_say_and_is_as_bright_as_its_stops():
    box = Softbox("b", "B", azimuth=40, elevation=25, stops=2.0, hot=0.0)
    at = light_over([box], direction(40, 25)[None])
    assert float(at[0] @ LUMINANCE) == pytest.approx(4 * WHITE_NITS, rel=1e-6)
    for azimuth, elevation in ((40, 56), (66, 25), (-40, 25)):
        assert light_over([box], direction(azimuth, elevation)[None]).max() == 0


def test_a_hot_spot_leaves_the_middle_and_the_outline_as_they_are():
    plain, hot = (replace(SOME["plain"], edge=0.0, hot=h, hot_size=0.6) for h in (0.0, 0.8))
    middle, right, up = frame(plain)
    assert light_over([hot], middle[None]) == pytest.approx(light_over([plain], middle[None]))
    edge = np.tan(np.radians(19.9)) * right + middle
    dimmed = 1 - 0.8 * (1 - 2 ** -((19.9 / 20 / 0.6) ** 2))
    assert light_over([hot], edge[None])[0, 1] == pytest.approx(light_over([plain], edge[None])[0, 1] * dimmed, rel=1e-3)
    beyond = np.tan(np.radians(20.1)) * right + middle
    assert light_over([hot], beyond[None]).max() == 0


def test_a_graded_one_goes_in_stops_from_end_to_end():
    box = Softbox("b", "B", kind="graded", grade="along", grades=(GradeStop(0, -4), GradeStop(1, 0)), width=20, height=80, stops=3, hot=0.0, edge=0.0)
    middle, right, up = frame(box)
    for share in (0.1, 0.5, 0.9):
        y = np.tan(np.radians(80 * (share - 0.5)))
        got = float(light_over([box], (middle + y * up)[None])[0] @ LUMINANCE)
        assert np.log2(got / WHITE_NITS) == pytest.approx(3 - 4 * (1 - share), abs=0.08)


def test_over_adds_and_flags_are_laid_on_in_their_order():
    low = Softbox("l", "Low", shape="round", width=40, height=40, stops=1, hot=0.0, edge=0.0)
    here = direction(0, 30)[None]
    white = light_over([replace(low, stops=0)], here)
    over, add, flag = (replace(low, id="t", blend=blend, opacity=0.25, stops=0) for blend in ("over", "add", "flag"))
    assert light_over([low, over], here, 100)[0] == pytest.approx(0.75 * 2 * white[0] + 0.25 * white[0])
    assert light_over([low, add], here, 100)[0] == pytest.approx(2 * white[0] + 0.25 * white[0])
    assert light_over([low, flag], here, 100)[0] == pytest.approx(0.75 * 2 * white[0])
    assert light_over([flag, low], here, 100)[0] == pytest.approx(2 * white[0])
    assert light_over([replace(low, opacity=0.5)], here, 100)[0] == pytest.approx(50 + white[0])


@pytest.mark.parametrize("name", SOME)
def test_directions_are_drawn_by_the_density_that_is_told(name):
    """Chi-square of drawn directions against the told density over cells of the sphere; nothing lit is without a chance."""
    got = soft(SOME[name])
    row, rng, n = got.rows[0], np.random.default_rng(5), 60000
    drawn = np.array([sample_box(row, got.tables, *rng.random(2)) for _ in range(n)])
    np.testing.assert_allclose(np.linalg.norm(drawn[:, :3], axis=1), 1, atol=1e-9)
    told = np.array([box_density(row, got.tables, *d[:3]) for d in drawn[:3000]])
    same = np.abs(told / drawn[:3000, 3] - 1) < 1e-5
    assert same.mean() > 0.995  # but for those on the line between two cells
    axes = row[[*range(a.SB_MIDDLE, a.SB_MIDDLE + 3), *range(a.SB_LONG, a.SB_LONG + 3), *range(a.SB_SHORT, a.SB_SHORT + 3)]].reshape(3, 3)
    own = drawn[:, :3] @ axes.T
    lon, high = np.arctan2(own[:, 1], own[:, 0]) / row[a.SB_LON], own[:, 2] / row[a.SB_HIGH]
    cells, fine = 16, 8
    seen = np.histogram2d(high, lon, bins=cells, range=[[-1, 1], [-1, 1]])[0]
    grid = (np.arange(cells * fine) + 0.5) / (cells * fine) * 2 - 1
    g_lon, g_high = np.meshgrid(grid * row[a.SB_LON], grid * row[a.SB_HIGH])
    flat = np.sqrt(1 - g_high**2)
    world = np.stack([flat * np.cos(g_lon), flat * np.sin(g_lon), g_high], -1).reshape(-1, 3) @ axes
    density = np.array([box_density(row, got.tables, *d) for d in world]).reshape(cells, fine, cells, fine).mean((1, 3))
    expected = density * (2 * row[a.SB_LON] / cells) * (2 * row[a.SB_HIGH] / cells) * n
    assert expected.sum() == pytest.approx(n, rel=1e-3)
    few = expected < 5
    chi = float(((seen - expected)[~few] ** 2 / expected[~few]).sum())
    assert stats.chi2.sf(chi, int((~few).sum()) - 1) > 1e-4
    lit = np.empty_like(world)
    paint_box(got.rows, got.lights, 0, np.ascontiguousarray(world), lit)
    assert all(box_density(row, got.tables, *d) > 0 for d in world[lit.max(1) > 0][::7])


@pytest.mark.parametrize("name", SOME)
def test_no_light_lies_beyond_the_reach_of_the_table(name):
    got = soft(SOME[name])
    directions = map_directions(256, 128).reshape(-1, 3)
    lit = light_over([SOME[name]], directions).max(1) > 0
    assert lit.any()
    assert all(box_density(got.rows[0], got.tables, *d) > 0 for d in directions[lit])


def lit_sheet(*boxes, **environment):
    document, assets = dressed(plane(), Surface(specular_weight=0.0, base_color=(0.5, 0.5, 0.5)))
    sky = Environment(kind="colour", softboxes=boxes, **environment)
    return replace(document, environment=sky, floor=Floor(kind="none"), cameras={"c": look_down()}), assets


def brightness(document, assets, samples=128, **how):
    return float(trace(document, assets, (16, 12), samples, **how)[0].rgb.mean((0, 1)) @ LUMINANCE)


def test_a_round_softbox_overhead_lights_a_sheet_as_the_closed_form_says():
    """E = pi L sin^2 of the half angle (an even cap at the zenith); a matt grey sheet sends E * 0.5 / pi back."""
    box = Softbox("b", "B", shape="round", width=50, height=50, elevation=90, **BARE)
    expected = 0.5 * WHITE_NITS * np.sin(np.radians(25)) ** 2
    assert brightness(*lit_sheet(box)) == pytest.approx(expected, rel=0.01)


@pytest.mark.parametrize("name", ["plain", "ring", "strip", "picture"])
def test_aiming_at_softboxes_and_waiting_for_luck_give_the_same_light(name):
    boxes = (SOME[name], replace(SOME["round"], id="other", name="Other", azimuth=20, elevation=50, opacity=0.6, stops=1.0))
    scene = lit_sheet(*boxes, colour=(0.05, 0.05, 0.08))
    aimed, lucky, even = (brightness(*scene, samples=n, **how) for n, how in ((256, {}), (3000, {"plain": True}), (256, {"uniform": True})))
    assert aimed == pytest.approx(lucky, rel=0.02)
    assert even == pytest.approx(aimed, rel=0.02)


def test_each_softbox_comes_out_as_its_own_light_group():
    key = replace(SOME["round"], id="k", name="Key", elevation=60, blend="add")
    fill = replace(SOME["plain"], id="f", name="Fill", azimuth=120, blend="add")
    document, assets = lit_sheet(key, fill, colour=(0.1, 0.1, 0.1))
    whole, tracer = trace(document, assets, (12, 9), 128, passes=True)
    assert tracer.scene.groups == ("Environment", "Glow", "Key", "Fill")
    sums = tracer.film[..., a.PLANE_GROUPS : a.PLANE_GROUPS + 12].sum((0, 1)).reshape(4, 3) / tracer.film[..., a.PLANE_COUNT].sum()
    np.testing.assert_allclose(sums.sum(0), whole.rgb.mean((0, 1)), rtol=1e-3)
    for number, alone in ((0, ()), (2, (key,)), (3, (fill,))):
        colour = (0.1, 0.1, 0.1) if number == 0 else (0.0, 0.0, 0.0)
        assert float(sums[number] @ LUMINANCE) == pytest.approx(brightness(*lit_sheet(*alone, colour=colour)), rel=0.02)


def test_solo_mute_and_a_lamp_that_is_solo_leave_only_what_they_say():
    key, fill = replace(SOME["round"], id="k", name="Key", elevation=60), replace(SOME["plain"], id="f", name="Fill", azimuth=120)
    alone = brightness(*lit_sheet(key))
    assert brightness(*lit_sheet(key, replace(fill, on=False))) == pytest.approx(alone, rel=0.01)
    assert brightness(*lit_sheet(replace(key, solo=True), fill, colour=(1.0, 1.0, 1.0))) == pytest.approx(alone, rel=0.01)


def test_a_mirror_shows_a_softbox_with_a_sharp_outline_and_its_own_light():
    """Straight down on a mirror: the picture's middle sees the zenith. No map is asked, so the outline is as sharp as the pixels."""
    box = Softbox("b", "B", shape="round", width=4.0, height=4.0, elevation=90, edge=0.0, hot=0.0, stops=3.0)
    document, assets = dressed(plane(), Surface(base_metalness=1.0, base_color=(1.0, 1.0, 1.0), specular_roughness=0.0))
    document = replace(document, environment=Environment(kind="colour", softboxes=(box,)), floor=Floor(kind="none"), cameras={"c": look_down()})
    seen = trace(document, assets, (120, 90), 16)[0].rgb @ LUMINANCE
    assert seen[45, 60] == pytest.approx(8 * WHITE_NITS, rel=0.01)
    line = seen[45] / seen[45, 60]
    between = (line > 0.05) & (line < 0.95)
    wide = 2 * np.tan(np.radians(2)) / (36 / 85) * 120
    assert line.sum() == pytest.approx(wide, rel=0.03)
    assert between.sum() <= 6  # the picture's own filter is two pixels wide


def test_a_dome_of_three_softboxes_is_the_same_light_as_its_own_finely_sampled_map():
    boxes = (SOME["graded"], replace(SOME["ring"], id="r", blend="add"), replace(SOME["plain"], id="f", name="F", blend="flag", opacity=0.7))
    wide, facing = map_directions(1024, 512), np.array([0.0, 0.0, 1.0])
    expected = (light_over(boxes, wide, 50) @ LUMINANCE * np.maximum(0, wide @ facing) * solid_angles(512)).sum() * 0.5 / np.pi
    assert brightness(*lit_sheet(*boxes, colour=(50 / WHITE_NITS,) * 3), samples=256) == pytest.approx(float(expected), rel=0.015)


def test_the_draft_blurs_what_changed_and_comes_to_the_same_as_all_anew():
    from types import SimpleNamespace

    from aulmo.trace.draft import DomeMaps, maps_of

    env = np.random.default_rng(1).random((32, 64, 3)).astype(np.float32) * 300
    kept, last = DomeMaps(), None
    for k in range(5):
        boxes = (replace(SOME["plain"], azimuth=20.0 * k), replace(SOME["ring"], id="r"))[: 2 if k < 4 else 0]
        got = soft(*boxes)
        arrays = SimpleNamespace(env=env, env_turn=np.eye(3), softboxes=got.rows, box_lights=got.lights)
        maps, anew = kept.of(arrays, 0.5), maps_of(arrays, 0.5)
        np.testing.assert_allclose(maps, anew, rtol=1e-3, atol=1e-2 * anew.max())
        assert last is None or not np.allclose(maps, last)
        last = maps
