"""The floor that is only a shadow: its strength, size, contact and mirror."""

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.records import Backdrop, Camera, Environment, Floor, Placement, Softbox, Surface
from dressing import dressed
from shapes import box_mesh
from tracing import trace

SIZE = (60, 45)


def shot(**floor):
    """A cube on a shadow floor, lit by a softbox from the right, seen from above and in front, on white."""
    document, assets = dressed(box_mesh(40.0), Surface(specular_weight=0.0, base_color=(0.7, 0.1, 0.1)))
    document = edits.change_part(document, next(iter(document.parts)), placement=Placement(position=(0.0, 0.0, 20.0)))
    lit = Environment(kind="colour", colour=(0.1, 0.1, 0.1), softboxes=(Softbox("b", "B", azimuth=90, elevation=40, width=14, height=14, stops=5.0),))
    camera = Camera("c", "Camera", position=(0.0, -420.0, 320.0), target=(-20.0, 0.0, 10.0), focal_length_mm=70.0, shutter=1 / 15)
    backdrop = Backdrop(kind="colour", top=(0.8, 0.8, 0.8))
    document = replace(document, environment=lit, cameras={"c": camera}, backdrop=backdrop, floor=Floor(kind="shadow", **floor))
    return trace(document, assets, SIZE, 96)[0].rgb[..., 1]


@pytest.fixture(scope="module")
def whole():
    return shot()


def test_a_weaker_shadow_keeps_more_of_the_backdrop(whole):
    none, half = shot(shadow=0.0), shot(shadow=0.5)
    deep = np.unravel_index(np.argmin(whole / none), whole.shape)
    assert whole[deep] < 0.75 * none[deep]
    assert half[deep] == pytest.approx(0.5 * (whole[deep] + none[deep]), rel=0.06)


def test_a_shadow_with_a_size_fades_toward_it(whole):
    small, none = shot(size_mm=60.0), shot(shadow=0.0)
    lost = whole < 0.9 * none
    assert lost.sum() > 40
    far = lost.copy()
    far[:, SIZE[0] // 3 :] = False  # the shadow falls to the left
    assert small[far] == pytest.approx(none[far], rel=0.04)
    assert (small < 0.95 * none).sum() < lost.sum()


def test_contact_darkens_beside_what_touches_the_floor_and_nowhere_else(whole):
    touched = shot(contact=1.0, contact_mm=12.0)
    darker = touched < 0.93 * whole
    rows, columns = np.nonzero(darker)
    assert 10 < darker.sum() < 400
    assert abs(columns.mean() - 33) < 12
    assert touched[4:10, :].mean() == pytest.approx(whole[4:10, :].mean(), rel=0.02)


def test_what_stands_on_it_is_mirrored_by_choice(whole):
    """The red of the cube is seen in the floor before it; a rougher floor blurs it."""
    sharp = shot(reflects=True, roughness=0.02)
    before = np.s_[30:36, 28:36]
    assert abs(sharp[before] - whole[before]).max() > 0.01 * whole[before].mean()
