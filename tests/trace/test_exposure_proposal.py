"""An exposure is proposed for what a shot shows."""

import pytest
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.records import Document, Environment, RenderSettings
from aulmo.errors import BadValue
from aulmo.light import travel
from aulmo.trace.exposure_proposal import MIDDLE, proposed_exposure
from rooms import room
from shapes import one_part, sphere_mesh


def lit(stops: float) -> tuple[Document, object]:
    """A grey wall of a ball that fills the frame, lit evenly."""
    document, assets = one_part(sphere_mesh(200.0, 32), position=(0.0, -260.0, 0.0), focal_length_mm=85.0)
    environment = Environment(kind="colour", colour=(1.0, 1.0, 1.0), exposure=0.0)
    camera = replace(document.cameras["c"], exposure_stops=stops)
    return replace(document, environment=environment, cameras={"c": camera}, render=RenderSettings(bounces=2)), assets


def test_it_is_the_same_wherever_the_camera_stood_before_and_makes_the_middle_grey():
    proposals = [proposed_exposure(*lit(stops), lit(stops)[0].shots[0]) for stops in (-3.0, 2.0)]
    assert proposals[0] == proposals[1] and not proposals[0].held
    document, assets = lit(proposals[0].stops)
    again = proposed_exposure(document, assets, document.shots[0])
    assert again.stops == pytest.approx(proposals[0].stops, abs=0.11) and MIDDLE == 0.2


def test_a_room_is_exposed_for_its_walls_and_held_back_for_its_windows():
    document, assets = room()
    document = travel.put(document, "An enclosed room")
    inside = proposed_exposure(document, assets, document.shots[0])
    dark = edits.change_surface(document, "plaster", base_color=(0.03, 0.03, 0.03))
    held = proposed_exposure(dark, assets, document.shots[0])
    assert 0.5 < inside.stops < 4 and not inside.held
    assert held.held and held.stops < inside.stops + 4  # the walls alone would ask for five more: the window is a fifth of the picture


def test_darkness_is_said_and_cancelling_gives_nothing():
    document, assets = lit(0.0)
    dark = replace(document, environment=Environment(kind="colour", colour=(0.0, 0.0, 0.0)))
    with pytest.raises(BadValue, match="no light to propose"):
        proposed_exposure(dark, assets, dark.shots[0])
    assert proposed_exposure(document, assets, document.shots[0], 0.0, lambda words, share: False) is None
