"""A dome that is near: what it shows shifts with place, both ways of finding its light agree, its lower half can lie on the floor."""

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo.document.records import Environment, Floor, Surface
from aulmo.surface.colour import LUMINANCE
from aulmo.trace.scene import SceneBuilder
from dressing import dressed
from tracing import look_down, plane, trace


class Patch(SceneBuilder):
    """A dark room with one bright patch: high on the +x wall, or of the whole of it below the horizon."""

    low = False

    def _pixels(self, environment):
        image = np.full((128, 256, 3), 20.0, np.float32)
        if self.low:
            image[70:100, 100:140] = 3000.0
        else:
            image[24:40, 180:204] = 9000.0
        return image


class Low(Patch):
    low = True


def sheet(x=0.0, **environment):
    document, assets = dressed(plane(60.0), Surface(specular_weight=0.0, base_color=(0.5, 0.5, 0.5)))
    camera = replace(look_down(), position=(0.0, 0.0, 90.0))
    room = Environment(turn=10.0, **environment)
    return replace(document, environment=room, floor=Floor(kind="none"), cameras={"c": camera}), assets


def brightness(document, assets, builder=Patch, samples=128, **how):
    return float(trace(document, assets, (16, 12), samples, builder, **how)[0].rgb.mean((0, 1)) @ LUMINANCE)


@pytest.mark.parametrize("radius", [200.0, 1000.0])
def test_aiming_and_luck_agree_in_a_near_room(radius):
    scene = sheet(radius_mm=radius, centre=(-30.0, 20.0, 60.0))
    assert brightness(*scene, samples=400) == pytest.approx(brightness(*scene, samples=4000, plain=True), rel=0.025)


def test_a_very_large_room_is_the_same_as_one_that_is_endlessly_far():
    near, far = sheet(radius_mm=1e6, centre=(0.0, 0.0, 0.0)), sheet()
    assert brightness(*near, samples=400) == pytest.approx(brightness(*far, samples=400), rel=0.02)


def test_the_light_of_a_near_wall_grows_toward_it():
    """The patch is nearer when the dome's middle is moved away from it, and so the light it sends is more."""
    middle, away, toward = (brightness(*sheet(radius_mm=400.0, centre=(x, 0.0, 0.0)), samples=300) for x in (0.0, -200.0, 200.0))
    assert away > 1.5 * middle > 2 * toward


def test_a_mirror_in_a_near_room_sees_what_lies_where_its_rays_end():
    """A level mirror under a room whose middle is aside: the ray straight up from (0, 0, 0) ends at the direction of (-c + t) from the centre."""
    document, assets = dressed(plane(60.0), Surface(base_metalness=1.0, base_color=(1.0, 1.0, 1.0), specular_roughness=0.0))
    document = replace(document, floor=Floor(kind="none"), cameras={"c": replace(look_down(), position=(0.0, 0.0, 90.0))})

    class Coded(SceneBuilder):
        """Every direction shines with its own numbers."""

        def _pixels(self, environment):
            from aulmo.light.dome_map import map_directions

            return np.ascontiguousarray(map_directions(512, 256) + 1.5, np.float32)

    centre = np.array([40.0, -25.0, 10.0])
    document = replace(document, environment=Environment(radius_mm=100.0, centre=tuple(centre)))
    seen = trace(document, assets, (17, 13), 64, Coded, plain=True)[0].rgb[6, 8] - 1.5
    t = np.sqrt(100.0**2 - centre[0] ** 2 - centre[1] ** 2) + centre[2]
    expected = (np.array([0.0, 0.0, t]) - centre) / 100.0
    np.testing.assert_allclose(seen, expected, atol=0.02)


def test_the_lower_half_lies_on_the_floor_by_choice():
    """Seen from above, the floor of the place fills the view, and a step of the camera sideways moves it as far as any floor."""
    document, assets = dressed(plane(1.0), Surface())
    document = replace(document, floor=Floor(kind="none"), backdrop=replace(document.backdrop, kind="environment"))

    class Chequered(SceneBuilder):
        def _pixels(self, environment):
            from aulmo.light.dome_map import map_directions

            d = map_directions(1024, 512)
            x = np.where(d[..., 2] < -0.02, 500.0 * d[..., 0] / np.maximum(0.02, -d[..., 2]), 0.0)  # where it meets a floor 500 mm below
            return np.repeat((1.5 + np.sin(x / 40.0))[..., None], 3, 2).astype(np.float32)

    room = Environment(radius_mm=20000.0, centre=(0.0, 0.0, 500.0), on_floor=True)
    for at in (0.0, 60.0):
        camera = replace(look_down(), position=(at, 0.0, 300.0), target=(at, 0.0, 0.0))
        made = replace(document, environment=room, cameras={"c": camera})
        seen = trace(made, assets, (41, 31), 64, Chequered)[0].rgb[3, :, 1] - 1.5
        x = at + (np.arange(41) + 0.5 - 20.5) / 41 * 300 * 36 / 85
        np.testing.assert_allclose(seen, np.sin(x / 40.0), atol=0.15)


def test_light_from_the_floor_agrees_both_ways():
    """A sheet that is turned over and looks down at the bright floor of the place."""
    document, assets = sheet(radius_mm=3000.0, centre=(0.0, 0.0, 300.0), on_floor=True)
    part = next(iter(document.parts.values()))
    from aulmo.document import edits
    from aulmo.document.records import Placement

    document = edits.change_part(document, part.id, placement=Placement(position=(0.0, 0.0, 150.0), turn=(180.0, 0.0, 0.0)))
    document = replace(document, cameras={"c": replace(look_down(), position=(0.0, 1.0, 60.0), target=(0.0, 0.0, 150.0))})
    aimed, lucky = (brightness(document, assets, Low, n, **how) for n, how in ((400, {}), (4000, {"plain": True})))
    assert aimed == pytest.approx(lucky, rel=0.03)
    assert aimed > 20
