"""The openings of a room: all of them, from wherever one looks, to their true size; and the sun sent through one."""

import numpy as np
import pytest

from aulmo import script
from aulmo.document.edits import replace
from aulmo.document.moments import still
from aulmo.document.placement import turn_matrix
from aulmo.document.records import Environment, Lamp
from aulmo.errors import BadValue
from aulmo.light.daylight import sun_angles, sun_direction
from aulmo.light.place_lamp import aim_of
from aulmo.trace.compile import arrays as a
from aulmo.trace.lamp.lamp_rows import sun_row
from aulmo.trace.openings import clear_parts, opening_at
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.sun_through import send, sun_of_picture, when
from rooms import OPENINGS, WALL, X, Y, room


def test_a_portal_lies_in_each_of_seven_openings_looked_from_a_corner():
    document, assets = room()
    place = (700.0, 3600.0, 400.0)
    made, ids = script.portals(document, assets, place)
    assert len(ids) == len(set(ids)) == len(OPENINGS)
    for middle, width, height in OPENINGS:
        lamp = min((made.lamps[i] for i in ids), key=lambda x: float(np.linalg.norm(np.array(x.position) - middle)))
        assert lamp.kind == "portal" and np.allclose(lamp.position, middle, atol=0.05)
        assert (lamp.width, lamp.height) == pytest.approx((width, height), abs=0.1)
        inward = np.array((X / 2, Y / 2, 1300.0)) - middle
        assert aim_of(lamp) @ inward > 0, "it faces the room"
        right = turn_matrix(lamp.turn)[:, 0]
        assert abs(abs(right).max() - 1) < 1e-6, "and stands straight"
    again, same = script.portals(made, assets, place)
    assert again is made and set(same) == set(ids), "openings that have a portal keep it"


def test_no_room_no_portals():
    document, assets = room()
    with pytest.raises(BadValue, match="does not lie in a room"):
        script.portals(document, assets, (20000.0, 0.0, 1000.0))
    with pytest.raises(BadValue, match="three numbers"):
        script.portals(document, assets, (1.0, float("nan"), 0.0))


def test_one_opening_is_measured_by_a_ray_that_goes_out_by_it():
    document, assets = room()
    scene = SceneBuilder(assets).build(still(document), False)
    eye, clear = np.array((2600.0, 2000.0, 1500.0)), clear_parts(document)
    found = opening_at(scene, clear, eye, np.array((-110.0, 1000.0, 1400.0)) - eye)
    assert (found.width, found.height, found.depth) == pytest.approx((900, 1200, WALL), abs=0.5)
    with pytest.raises(BadValue, match="no opening there"):
        opening_at(scene, clear, eye, (0.0, 0.0, -1.0))


FALLS, BY = np.array((1500.0, 900.0, 0.0)), np.array((700.0, -110.0, 1450.0))


def test_the_sky_sends_its_sun_through_a_window_onto_a_point_to_less_than_a_millimetre():
    document, assets = room()
    document = replace(document, environment=Environment(kind="sky", turn=33.0))
    made = script.sun_through(document, assets, FALLS, BY)
    row = sun_row(made.environment, np.eye(3))
    toward = -row[a.LAMP_N : a.LAMP_N + 3]
    assert np.linalg.norm(np.cross(BY - FALLS, toward)) < 1e-6
    scene = SceneBuilder(assets).build(still(document), False)
    sent = send(document, assets, scene, FALLS, BY)
    sky = sent.document.environment.sky
    azimuth, elevation = sun_angles(sky.date, sky.hour, sky.utc_offset, sky.latitude, sky.longitude)
    off = sun_direction(replace(sky, azimuth=azimuth + sky.north, elevation=elevation)) @ sun_direction(sky)
    assert "as on" in sent.words and np.degrees(np.arccos(off)) < 0.6


def test_a_sun_that_never_stands_there_is_told_with_the_day_that_comes_nearest():
    sky = Environment().sky
    _, _, off = when(sky, 0.0, 80.0)  # high in the north of Europe
    assert off > 30


def test_lamps_and_domes_have_their_suns_sent_too():
    document, assets = room()
    plain = replace(document, environment=Environment(kind="colour"))
    made = script.sun_through(plain, assets, FALLS, BY)
    (lamp,) = made.lamps.values()
    assert lamp.kind == "sun" and np.allclose(aim_of(lamp), (FALLS - BY) / np.linalg.norm(FALLS - BY), atol=1e-7)
    own = replace(plain, lamps={"l": Lamp("l", "My sun", "sun", (0.0, 0.0, 9000.0))})
    moved = script.sun_through(own, assets, FALLS, BY)
    assert list(moved.lamps) == ["l"] and np.allclose(aim_of(moved.lamps["l"]), aim_of(lamp), atol=1e-7)
    pixels = np.full((64, 128, 3), 10.0, np.float32)
    pixels[20, 70] = 90000.0
    found = sun_of_picture(pixels)
    assert found is not None and sun_of_picture(np.ones((64, 128, 3))) is None
    name = assets.add(_exr(pixels), ".exr")
    dome = replace(document, environment=Environment(kind="picture", image=name, shipped=False))
    turned = script.sun_through(dome, assets, FALLS, BY).environment
    seen = turn_matrix((turned.tilt, 0.0, -turned.turn)) @ found
    beside = replace(dome, environment=replace(dome.environment, image=assets.add(_exr(np.roll(pixels, 30, 1)), ".exr")))
    assert len(script.sun_through(beside, assets, FALLS, BY).lamps) == 1, "what no turn of the dome can do, a sun of its own does"
    assert np.degrees(np.arccos(min(1.0, seen @ (BY - FALLS) / np.linalg.norm(BY - FALLS)))) < 1e-3


def _exr(pixels):
    import tempfile
    from pathlib import Path

    from aulmo.light.environment_image import write_exr

    with tempfile.TemporaryDirectory() as folder:
        write_exr(Path(folder) / "dome.exr", pixels)
        return (Path(folder) / "dome.exr").read_bytes()


def test_what_stands_in_the_way_of_the_sun_is_named():
    document, assets = room()
    with pytest.raises(BadValue, match="Wall [0-9]+ stands in the way"):
        script.sun_through(document, assets, FALLS, (300.0, -110.0, 1450.0))
    with pytest.raises(BadValue, match="one and the same"):
        script.sun_through(document, assets, FALLS, FALLS)
