"""Light leaks: planted slits in the walls of a closed room are found where they are, and nothing else is."""

import numpy as np
import pytest

from aulmo import script
from aulmo.document.assets import AssetStore
from aulmo.document.records import Document
from aulmo.errors import BadValue
from aulmo.prepare.health.leaks import closed, leaks
from rooms import HALL, PLACE, hall

X, Y, Z, W = HALL


def slits(count: int, seed: int):
    """Slits in the floor-to-ceiling walls and the ceiling, 2 to 9 mm wide and 200 to 500 long, well apart; their middles and widths."""
    random = np.random.default_rng(seed)
    out, told = [], []
    each = -(-count // 5)
    for wall in (1, 2, 3, 4, 5):
        low, high = {1: ((0, 0), (X, Y)), 2: ((0, 0), (Y, Z)), 3: ((0, 0), (Y, Z)), 4: ((0, 0), (X, Z)), 5: ((0, 0), (X, Z))}[wall]
        for k in range(each):
            if len(out) == count:
                break
            wide, long = random.uniform(2, 9), random.uniform(200, 500)
            u = low[0] + (k + 0.5) / each * (high[0] - low[0])
            v = random.uniform(low[1] + 500, high[1] - 500)
            out.append((wall, u - wide / 2, u + wide / 2, v - long / 2, v + long / 2))
            place = {1: (u, v, Z + W / 2), 2: (-W / 2, u, v), 3: (X + W / 2, u, v), 4: (u, -W / 2, v), 5: (u, Y + W / 2, v)}[wall]
            told.append((np.array(place), wide))
    return out, told


def test_twenty_planted_slits_are_found_and_none_else():
    planted, told = slits(20, 4)
    document, assets = hall(planted)
    found = script.leaks(document, assets, PLACE)
    assert set(found[0]) == {"at", "size_mm"}
    for place, wide in told:
        near = [f for f in found if np.linalg.norm(np.array(f["at"]) - place) < 150]
        assert len(near) == 1, (place, wide)
        assert near[0]["size_mm"] == pytest.approx(wide, rel=0.1)
    assert len(found) == 20


def test_a_room_that_is_closed_has_none_and_one_may_be_closed_by_a_patch():
    assert script.leaks(*hall(), PLACE) == []
    document, assets = hall([(3, 1500.0, 1506.0, 800.0, 1300.0)])
    (leak,) = leaks(document, assets, PLACE)
    made, patch = closed(document, leak)
    assert leaks(made, assets, PLACE) == []
    assert made.parts[patch].set_piece is not None and leaks(document, assets, PLACE, [leak.at]) == [], "a window that is meant is left out"


def test_a_place_out_of_doors_and_no_place_get_a_sentence():
    document, assets = hall()
    with pytest.raises(BadValue, match="does not lie within"):
        script.leaks(document, assets, (20_000.0, 0.0, 900.0))
    with pytest.raises(BadValue, match="three numbers"):
        script.leaks(document, assets, (1.0, float("nan"), 0.0))
    with pytest.raises(BadValue, match="nothing around"):
        script.leaks(Document(), AssetStore(), PLACE)
