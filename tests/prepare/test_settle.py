"""Loose parts fall, come to rest on the others, and stay there or become a motion."""

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.apart import here
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.moving.tracks import tracks_of
from aulmo.document.placement import to_matrix, world_matrix
from aulmo.document.records import Document, Floor, Part, Placement
from aulmo.errors import BadValue
from aulmo.prepare import arrange
from aulmo.prepare.settle import physics
from aulmo.prepare.settle.fall import FRAMES, Letting, as_motion, kept, let_fall
from shapes import block, box_mesh, sphere_mesh

QUICK = Letting(seconds=3.0)


@pytest.fixture(autouse=True)
def _here(monkeypatch):
    for name in ("convex_pieces", "begin", "more"):
        monkeypatch.setattr(physics, name, here(getattr(physics, name)))
    yield
    physics.end_here()


def ring_mesh(radius: float, round_: float, count: int = 24) -> Mesh:
    """A torus about z."""
    around, over = np.meshgrid(np.arange(count) * 2 * np.pi / count, np.arange(12) * np.pi / 6, indexing="ij")
    reach = radius + round_ * np.cos(over)
    points = np.stack([reach * np.cos(around), reach * np.sin(around), round_ * np.sin(over)], -1).reshape(-1, 3)
    i, j = (x.ravel() for x in np.meshgrid(np.arange(count), np.arange(12), indexing="ij"))
    at = lambda a, b: (a % count) * 12 + b % 12  # noqa: E731
    cells = np.concatenate([np.stack([at(i, j), at(i + 1, j), at(i + 1, j + 1)], 1), np.stack([at(i, j), at(i + 1, j + 1), at(i, j + 1)], 1)])
    return Mesh(
        points.astype(np.float32),
        (points / np.linalg.norm(points, axis=1)[:, None]).astype(np.float32),
        cells.astype(np.uint32),
        np.zeros(len(cells), np.uint32),
    )


def scene(*parts: tuple[str, Mesh, tuple[float, float, float]], floor: str = "plain") -> tuple[Document, AssetStore]:
    """Parts by name, mesh and place."""
    assets = AssetStore()
    made = [Part(id=n, name=n.capitalize(), mesh=assets.add_mesh(m), placement=Placement(position=at)) for n, m, at in parts]
    return replace(edits.add_parts(Document(), made, [p.id for p in made]), floor=Floor(kind=floor)), assets


def test_things_come_to_rest_on_the_floor_and_on_one_another_and_a_seed_falls_the_same_again():
    document, assets = scene(("low", box_mesh(20), (0, 0, 30)), ("high", box_mesh(20), (0, 0, 80)), ("ball", sphere_mesh(10, 16), (60, 0, 40)))
    still = QUICK._replace(tumble=0.0)
    fall = let_fall(document, assets, ["low", "high", "ball"], still)
    assert fall.rests and not fall.lost and "3 things rest" in fall.told()
    made = kept(document, fall, fall.seconds)
    height = {i: world_matrix(made, i)[2, 3] for i in fall.parts}
    assert (
        height["low"] == pytest.approx(10, abs=0.1) and height["high"] == pytest.approx(30, abs=0.2) and height["ball"] == pytest.approx(10, abs=0.2)
    )
    assert kept(document, fall, 0.0).parts["low"].placement == document.parts["low"].placement
    tumbling = let_fall(document, assets, ["low", "high"], QUICK)
    again = let_fall(document, assets, ["low", "high"], QUICK)
    other = let_fall(document, assets, ["low", "high"], QUICK._replace(seed=5))
    np.testing.assert_array_equal(tumbling.changes, again.changes)
    assert np.abs(tumbling.changes[-1] - other.changes[-1]).max() > 0.01


def test_how_much_it_bounces_and_slides_is_felt():
    document, assets = scene(("ball", sphere_mesh(10, 16), (0, 0, 110)))
    heights = [
        let_fall(document, assets, ["ball"], QUICK._replace(bounce=b, tumble=0.0)).changes[:, 0, 2, 3] + 110 for b in (0.0, 0.5)
    ]  # fmt: skip
    landed = [int(np.argmax(h < 12)) for h in heights]
    rises = [float(h[k:].max()) for h, k in zip(heights, landed)]
    assert rises[0] < 13 and rises[1] == pytest.approx(10 + 0.25 * 100, rel=0.2)  # bounce² of the height
    slope = block([-100, -30, -5], [100, 30, 5])
    document, assets = scene(("slope", slope, (0, 0, 100)), ("box", block([-8, -8, -4], [8, 8, 4]), (0, 0, 110)), floor="none")
    turn = replace(document.parts["slope"].placement, turn=(0.0, 20.0, 0.0))
    document = edits.place_parts(document, {"slope": turn})
    tilted = replace(document.parts["box"].placement, turn=(0.0, 20.0, 0.0))
    document = edits.place_parts(document, {"box": tilted})
    rough, smooth = (let_fall(document, assets, ["box"], QUICK._replace(friction=f, tumble=0.0, seconds=1.0)) for f in (0.8, 0.05))
    assert np.linalg.norm(rough.changes[-1, 0, :2, 3]) < 5 < 60 < np.linalg.norm(smooth.changes[-1, 0, :2, 3])  # tan 20° is 0.36


def test_a_ring_falls_over_a_post_as_its_hole_is_open():
    post = block([-3, -3, 0], [3, 3, 40])
    document, assets = scene(("post", post, (0, 0, 0)), ("ring", ring_mesh(14, 3), (0, 0, 55)))
    fall = let_fall(document, assets, ["ring"], QUICK._replace(tumble=0.0))
    low, high = arrange.bounds(kept(document, fall, fall.seconds), assets, ["ring"])
    assert fall.rests and low[2] == pytest.approx(0, abs=0.3) and high[2] < 7


def test_a_group_falls_as_one_where_it_holds_together():
    document, assets = scene(("foot", block([-4, -4, 0], [4, 4, 10]), (0, 0, 30)), ("plate", block([-10, -10, 10], [10, 10, 14]), (0, 0, 30)))
    document, group = edits.group_parts(document, ["foot", "plate"], "Stool")
    fall = let_fall(document, assets, [group], QUICK._replace(together=True))
    assert fall.parts == (group,)
    made = kept(document, fall, fall.seconds)
    apart = np.linalg.inv(world_matrix(document, "foot")) @ world_matrix(document, "plate")
    np.testing.assert_allclose(np.linalg.inv(world_matrix(made, "foot")) @ world_matrix(made, "plate"), apart, atol=1e-6)
    assert arrange.bounds(made, assets, [group])[0][2] == pytest.approx(0, abs=0.2)
    assert set(let_fall(document, assets, [group], QUICK._replace(seconds=0.1)).parts) == {"foot", "plate"}


def test_what_falls_past_everything_stays_and_is_told():
    document, assets = scene(
        ("table", block([-50, -50, -5], [50, 50, 0]), (0, 0, 0)),
        ("on", box_mesh(20), (0, 0, 30)),
        ("beside", box_mesh(20), (90, 0, 30)),
        floor="none",
    )
    fall = let_fall(document, assets, ["on", "beside"], QUICK)
    made = kept(document, fall, fall.seconds)
    assert fall.lost == ("beside",) and "1 thing fell past everything and stays" in fall.told()
    assert made.parts["beside"] is document.parts["beside"] and world_matrix(made, "on")[2, 3] == pytest.approx(10, abs=0.2)


def test_a_fall_becomes_keys_that_are_where_it_was_and_a_film_that_is_long_enough():
    document, assets = scene(("box", box_mesh(20), (0, 0, 90)))
    document = replace(document, film=replace(document.film, end=1.0, play_end=1.0))
    fall = let_fall(document, assets, ["box"], QUICK)
    made = as_motion(document, fall, 0.75, fall.seconds)
    assert made.film.end == pytest.approx(0.75 + fall.seconds) and made.parts is document.parts
    tracks = {track.address: track for track in tracks_of(made.keys)}
    assert set(tracks) == {"parts/box/placement/position", "parts/box/placement/turn"}
    for frame in range(0, len(fall.changes), 7):
        values = {a.rpartition("/")[2]: t.at(0.75 + frame / FRAMES) for a, t in tracks.items()}
        got = to_matrix(replace(document.parts["box"].placement, **values))
        np.testing.assert_allclose(got, fall.changes[frame, 0] @ world_matrix(document, "box"), atol=0.15)
    assert len(made.keys["parts/box/placement/turn"]) < 0.7 * len(fall.changes)


def test_what_cannot_fall_is_said_and_cancelling_gives_nothing():
    document, assets = scene(("box", box_mesh(20), (0, 0, 90)))
    with pytest.raises(BadValue, match="Choose parts that are to fall"):
        let_fall(document, assets, [])
    with pytest.raises(BadValue, match="not locked"):
        let_fall(edits.change_part(document, "box", locked=True), assets, ["box"])
    with pytest.raises(BadValue, match="Bounce goes from 0 to 1"):
        let_fall(document, assets, ["box"], QUICK._replace(bounce=float("nan")))
    assert let_fall(document, assets, ["box"], QUICK, lambda words, share: share < 0.4) is None
    flat = Mesh(
        np.array([[0, 0, 0], [20, 0, 0], [0, 20, 0]], np.float32),
        np.tile([0, 0, 1], (3, 1)).astype(np.float32),
        np.array([[0, 1, 2]], np.uint32),
        np.zeros(1, np.uint32),
    )
    document, assets = scene(("card", flat, (0, 0, 20)))
    fall = let_fall(document, assets, ["card"], QUICK)
    assert abs(arrange.bounds(kept(document, fall, fall.seconds), assets, ["card"])[0][2]) < 0.3


@pytest.mark.processes
def test_it_is_worked_out_apart(monkeypatch):
    monkeypatch.undo()
    document, assets = scene(("box", box_mesh(20), (0, 0, 20)))
    fall = let_fall(document, assets, ["box"], Letting(seconds=1.0))
    assert fall.changes[-1, 0, 2, 3] == pytest.approx(-10, abs=0.2) and not physics._world
