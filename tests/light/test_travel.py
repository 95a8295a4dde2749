"""How light travels, lamps by a rule, furnished lamps, softboxes as lamps."""

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.properties import resolve
from aulmo.document.records import Copies, Document, Lamp, Material, Part, Placement, Softbox, Surface
from aulmo.errors import BadValue
from aulmo.light import travel
from aulmo.light.photometry import read_ies
from aulmo.light.place_lamp import aim_of
from aulmo.light.softbox import WHITE_NITS, frame
from aulmo.light.softbox_lamp import lamp_of, luminance_of, softbox_of
from aulmo.light.staying import lamp_in_world
from aulmo.prepare import furnished
from aulmo.surface.colour import LUMINANCE
from aulmo.trace.compile import arrays as a
from aulmo.trace.lamp.lamp_rows import lamp_row
from shapes import box_mesh


@pytest.mark.parametrize("name", travel.WAYS)
def test_a_preset_changes_what_it_tells(name):
    document = travel.put(replace(Document(), render=replace(Document().render, bounces=3)), name)
    assert travel.which(document) == name
    for key in ("diffuse_bounces", "clear_bounces", "bounces"):
        assert str(getattr(document.render, key)) in travel.told(document)
    assert ("bends" in travel.told(document)) == (not document.render.straight_glass)


def test_own_numbers_are_no_preset_and_an_unknown_name_gets_a_sentence():
    document = replace(Document(), render=replace(Document().render, bounces=3))
    assert travel.which(document) == "" and "3 in all" in travel.told(document)
    with pytest.raises(BadValue, match="no way for light"):
        travel.put(document, "Under water")


@pytest.mark.parametrize(
    "rule, places",
    [
        (Copies(kind="row", count=3, step=(100.0, 0.0, 5.0)), [(0, 0, 50), (100, 0, 55), (200, 0, 60)]),
        (Copies(kind="grid", count=4, columns=2, rows=2, step=(10.0, 20.0, 0.0)), [(0, 0, 50), (10, 0, 50), (0, 20, 50), (10, 20, 50)]),
        (Copies(kind="ring", count=4, centre=(100.0, 0.0, 0.0)), [(0, 0, 50), (100, -100, 50), (200, 0, 50), (100, 100, 50)]),
    ],
    ids=["row", "grid", "ring"],
)
def test_a_rule_makes_lamps_when_resolved_and_stores_none(rule, places):
    document = edits.put_lamp(Document(), Lamp("l", "Down", position=(0.0, 0.0, 50.0), copies=rule))
    lamps = resolve(document).lamps
    np.testing.assert_allclose([lamp.position for lamp in lamps.values()], places, atol=1e-6)
    assert list(lamps) == ["l", *(f"l:{n}" for n in range(1, rule.count))] and list(document.lamps) == ["l"]
    assert resolve(edits.put_lamp(document, replace(document.lamps["l"], copies=None))).lamps.keys() == {"l"}


def test_a_hidden_copy_of_a_lamp_is_off_and_hundreds_are_made():
    document = edits.put_lamp(Document(), Lamp("l", "Down", copies=Copies(kind="grid", count=400, columns=20, rows=20, hidden=(7,))))
    lamps = resolve(document).lamps
    assert len(lamps) == 400 and [i for i, lamp in lamps.items() if not lamp.on] == ["l:7"]


@pytest.mark.parametrize("kind", furnished.KINDS)
def test_a_furnished_lamp_stands_or_hangs_with_its_light_inside(kind):
    assets = AssetStore()
    document, group = furnished.furnish(Document(), assets, kind, (100.0, 50.0, 2400.0), (0.0, 0.0, -1.0 if kind != "table" else 1.0))
    whole, (lamp,) = document.parts[group], document.lamps.values()
    assert whole.children and all(document.parts[i].material in document.materials for i in whole.children)
    at = np.array(lamp_in_world(document, lamp, None).position)
    np.testing.assert_allclose(at[:2], (100, 50), atol=1e-6)
    assert (at[2] > 2400) == (kind == "table")
    moved = edits.change_part(document, group, placement=Placement(position=(0.0, 0.0, 0.0)))
    assert lamp_in_world(moved, lamp, None).position[0] == pytest.approx(0.0, abs=1e-6)
    if kind != "table":
        assert aim_of(lamp)[2] == pytest.approx(-1.0)
        over, _ = furnished.furnish(Document(), assets, kind, (0.0, 0.0, 0.0), (0.0, 0.0, 1.0))
        assert next(iter(over.parts.values())).name and max(p.placement.position[2] for p in over.parts.values()) > 1000


def test_an_unknown_furnished_lamp_and_a_place_that_is_none_get_a_sentence():
    with pytest.raises(BadValue, match="no furnished lamp"):
        furnished.furnish(Document(), AssetStore(), "chandelier", (0, 0, 0), (0, 0, 1))
    with pytest.raises(BadValue, match="three numbers"):
        furnished.furnish(Document(), AssetStore(), "table", (0, float("nan"), 0), (0, 0, 1))


def test_its_beam_file_gives_the_lumens_it_names():
    profile = read_ies(furnished.beam_file(4.0, 700.0), "beam.ies")
    assert profile.flux == pytest.approx(700.0, rel=0.01)
    assert profile.candela[0, 0] == pytest.approx(700 * 5 / (2 * np.pi), rel=1e-3)


def test_a_part_becomes_a_glowing_panel_and_others_of_its_material_do_not():
    assets = AssetStore()
    mesh = assets.add_mesh(box_mesh())
    parts = {i: Part(i, i, mesh=mesh, material="m") for i in ("one", "two")}
    document = Document(parts=parts, roots=("one", "two"), materials={"m": Material("m", "Grey", surface=Surface())})
    made = furnished.glowing_panel(document, ["one"], 1200.0)
    assert made.materials[made.parts["one"].material].surface.emission_luminance == 1200.0
    assert made.parts["two"].material == "m"
    for nits in (0.0, float("nan"), -5.0):
        with pytest.raises(BadValue):
            furnished.glowing_panel(document, ["one"], nits)
    with pytest.raises(BadValue, match="Select"):
        furnished.glowing_panel(document, [], 100.0)


@pytest.mark.parametrize("shape", ["rectangle", "round", "ring"])
def test_a_softbox_as_a_lamp_shines_from_there_as_bright_and_comes_back(shape):
    box = Softbox("b", "Key", shape=shape, azimuth=-48, elevation=22, turn=12, width=30, height=30, stops=3.2, kelvin=4800.0, inner=0.5)
    lamp = lamp_of(box, (0.0, 0.0, 100.0), 800.0, "l")
    toward = np.array(lamp.position) - [0.0, 0.0, 100.0]
    assert toward / np.linalg.norm(toward) @ frame(box)[0] == pytest.approx(1.0) and np.linalg.norm(toward) == pytest.approx(800)
    assert aim_of(lamp) @ -toward / 800 == pytest.approx(1.0)
    assert luminance_of(lamp) == pytest.approx(WHITE_NITS * 2**3.2)
    back = softbox_of(lamp, (0.0, 0.0, 100.0), "b")
    for one, other in zip(frame(back), frame(box)):
        np.testing.assert_allclose(one, other, atol=1e-4)
    assert (back.width, back.stops, back.kelvin, back.shape) == (pytest.approx(30, abs=0.01), pytest.approx(3.2, abs=1e-3), 4800.0, shape)


@pytest.mark.parametrize("unit", ["lumen", "candela", "nit"])
@pytest.mark.parametrize("kind", ["rectangle", "disc", "ring", "sphere", "tube"])
def test_the_luminance_of_a_lamp_is_the_renderers(kind, unit):
    lamp = Lamp("l", "L", kind=kind, width=120.0, height=50.0, power=700.0, unit=unit, stops=0.5)
    row = lamp_row(lamp)[a.LAMP_RGB : a.LAMP_RGB + 3]
    neutral = lamp_row(replace(lamp, unit="nit", power=1.0, stops=0.0))[a.LAMP_RGB : a.LAMP_RGB + 3]
    assert luminance_of(lamp) == pytest.approx(float(LUMINANCE @ row) / float(LUMINANCE @ neutral), rel=1e-6)


def test_a_lamp_without_a_face_is_no_softbox():
    with pytest.raises(BadValue, match="no face"):
        softbox_of(Lamp("l", "Bulb", kind="point"), (0, 0, 0), "b")
