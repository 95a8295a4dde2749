"""Chosen parts let go: how they fall, where they are at a moment of it, and what becomes of that: placements, or a motion in the film."""

from typing import Callable, Iterable, NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.apart import Progress
from aulmo.document.assets import AssetStore
from aulmo.document.made.copies import with_copies
from aulmo.document.moving.between import unwound
from aulmo.document.moving.fewest import fewest
from aulmo.document.placement import world_matrices
from aulmo.document.quantity import counted
from aulmo.document.records import Document, Key, Placement
from aulmo.errors import BadFile, BadValue
from aulmo.prepare import arrange
from aulmo.prepare.health.look import shown_leaves
from aulmo.prepare.settle import physics
from aulmo.prepare.settle.physics import FRAMES

MOST = 400  # things that fall at once
REACH = 3.0  # heights of the fall around what falls within which others count
AWAY = 30.0  # sizes below everything from which on a thing has fallen away
NEAR = 2e-3  # of its size, and of a turn, that a key may be missed by
TOGETHER = 24  # frames asked for at once


class Letting(NamedTuple):
    """How parts are let go. `bounce` is the share of its speed that a thing keeps when it hits another squarely, `friction` the usual coefficient,
    `tumble` the degrees a second that things turn by at first, at random by the `seed`; it ends when all rests, after `seconds` at the latest.
    A chosen group falls as one where it holds `together`."""

    seed: int = 1
    bounce: float = 0.2
    friction: float = 0.5
    tumble: float = 20.0
    seconds: float = 6.0
    together: bool = False


class Fall(NamedTuple):
    """What fell: the parts that move, where each is at every frame, (frames, parts, 4, 4) changes of the world that begin with none; whether all
    came to rest, and which fell past everything."""

    parts: tuple[str, ...]
    changes: np.ndarray
    sizes: np.ndarray
    rests: bool
    lost: tuple[str, ...]

    @property
    def seconds(self) -> float:
        """How long it takes."""
        return (len(self.changes) - 1) / FRAMES

    def told(self) -> str:
        """How it went, in a sentence."""
        moved = len(self.parts) - len(self.lost)
        said = f"{counted(moved, 'thing')} {'rests' if moved == 1 else 'rest'} after {self.seconds:.1f} s" if self.rests else ""
        said = said or f"{counted(moved, 'thing')} not yet at rest after {self.seconds:.1f} s"
        return said + (
            f" · {counted(len(self.lost), 'thing')} fell past everything and {'stays' if len(self.lost) == 1 else 'stay'}" if self.lost else ""
        )


def falling(document: Document, part_ids: Iterable[str], together: bool = False) -> list[str]:
    """What falls as one each: of what is chosen every part that has a shape, and whole rules of copies; chosen groups where they hold `together`."""
    found: list[str] = []
    for part_id in edits.topmost(document, list(part_ids)):
        ready = [part_id]
        while ready:
            part = document.parts[ready.pop(0)]
            if part.locked or not part.visible:
                continue
            if part.mesh is not None or part.copies is not None or (together and part.id == part_id):
                found.append(part.id)
            else:
                ready[:0] = part.children
    return found


def let_fall(
    document: Document, assets: AssetStore, part_ids: Iterable[str], how: Letting = Letting(), progress: Progress = None
) -> Fall | None:  # fmt: skip
    """Let parts fall on all others that are seen, and on the floor. None when it was cancelled. Raises BadValue for what cannot fall, and for
    numbers that are none."""
    if not (0 <= how.bounce <= 1 and 0 <= how.friction <= 4 and 0 <= how.tumble <= 3600 and 0.1 <= how.seconds <= 60):
        raise BadValue("Bounce goes from 0 to 1, friction from 0 to 4, tumbling to 3600 °/s, the fall from 0.1 to 60 s.")
    things = falling(document, part_ids, how.together)
    if not things:
        raise BadValue("Choose parts that are to fall: seen, and not locked.")
    if len(things) > MOST:
        raise BadValue(f"{len(things)} things are too many to fall at once; choose up to {MOST}.")
    tell = progress or (lambda _words, _share: True)
    try:
        whole = with_copies(document)
        worlds = world_matrices(whole)
        made = _loose(whole, worlds, assets, things, how, tell)
        if made is None:
            return None
        things, loose, sizes = made
        unit = float(np.median(sizes))
        ground = _ground(whole, worlds, assets, things, loose)
        physics.begin(loose, ground, physics.Rules(how.bounce, how.friction, unit))
        poses, rests = _poses(how, tell)
    except BadFile as error:
        raise BadValue("The fall could not be worked out: too much falls at once, or a shape is broken.") from error
    if poses is None:
        return None
    middles = np.array([one.middle for one in loose])
    changes = np.concatenate([np.tile(np.eye(4), (1, len(things), 1, 1)), _changes(poses, middles)])
    low = min([ground.floor if ground.floor is not None else np.inf, *(v[:, 2].min() for v, _ in ground.meshes), *(middles[:, 2] - sizes)])
    lost = tuple(i for i, z, size in zip(things, poses[-1, :, 2], sizes) if z < low - AWAY * size)
    return Fall(tuple(things), changes, sizes, rests, lost)


def _loose(
    whole: Document, worlds: dict[str, np.ndarray], assets: AssetStore, things: list[str], how: Letting, tell: Callable
) -> tuple[list[str], list[physics.Loose], np.ndarray] | None:
    """What falls as the library wants it; things without a shape are left out."""
    seen = set(shown_leaves(whole))
    by_mesh: dict[str, tuple[list[np.ndarray], float]] = {}
    chance = np.random.default_rng(how.seed)
    kept, made, sizes = [], [], []
    for number, thing in enumerate(things):
        if not tell("Taking shapes apart", 0.4 * number / len(things)):
            return None
        pieces: list[np.ndarray] = []
        volume = 0.0
        spin = np.radians(chance.normal(0, how.tumble, 3))
        for leaf in arrange.counted_parts(whole, [thing]):
            if leaf not in seen:
                continue
            mesh = whole.parts[leaf].mesh or ""
            if mesh not in by_mesh:
                held = assets.mesh(mesh)
                by_mesh[mesh] = physics.convex_pieces(held.vertices, held.triangles)
            matrix = worlds[leaf]
            pieces += [piece @ matrix[:3, :3].T + matrix[:3, 3] for piece in by_mesh[mesh][0]]
            volume += by_mesh[mesh][1] * abs(float(np.linalg.det(matrix[:3, :3])))
        if not pieces or not all(np.isfinite(piece).all() for piece in pieces):
            continue
        middle = _middle(pieces)
        every = np.concatenate(pieces)
        kept.append(thing)
        made.append(physics.Loose([piece - middle for piece in pieces], middle, volume, (float(spin[0]), float(spin[1]), float(spin[2]))))
        sizes.append(float(np.ptp(every, axis=0).max()))
    if not kept:
        raise BadValue("What is chosen has no shape that could fall.")
    return kept, made, np.array(sizes)


def _middle(pieces: list[np.ndarray]) -> np.ndarray:
    """The middle of what weighs the same throughout, from convex pieces."""
    from scipy.spatial import ConvexHull, QhullError

    middles, volumes = [], []
    for piece in pieces:
        try:
            hull = ConvexHull(piece)
        except QhullError:
            continue
        corners = piece[hull.simplices]
        centre = piece.mean(0)
        shares = np.abs(np.einsum("ij,ij->i", corners[:, 0] - centre, np.cross(corners[:, 1] - centre, corners[:, 2] - centre)))
        middles.append((shares[:, None] * (corners.sum(1) + centre) / 4).sum(0) / max(shares.sum(), 1e-300))
        volumes.append(shares.sum())
    if not middles:
        return np.asarray(np.concatenate(pieces).mean(0))
    return np.asarray(np.average(middles, axis=0, weights=volumes))


def _ground(
    whole: Document, worlds: dict[str, np.ndarray], assets: AssetStore, things: list[str], loose: list[physics.Loose]
) -> physics.Ground:  # fmt: skip
    """What stays and may be hit: all else that is seen, within reach; and the floor."""
    moving = {leaf for thing in things for leaf in edits.leaves(whole, [thing])}
    every = np.concatenate([piece + one.middle for one in loose for piece in one.pieces])
    low, high = every.min(0), every.max(0)
    counted = set(arrange.counted_parts(whole, whole.roots))
    standing = [i for i in shown_leaves(whole) if i not in moving and i in counted]
    boxes = {i: np.array(assets.turned_box(whole.parts[i].mesh or "", worlds[i][:3, :3])) + worlds[i][:3, 3] for i in standing}
    floor = whole.floor.height if whole.floor.kind != "none" else None
    bottom = min([low[2] if floor is None else floor, *(box[0][2] for box in boxes.values())])
    reach = REACH * (high[2] - min(bottom, low[2])) + (high - low).max()
    meshes = []
    for i in standing:
        box = boxes[i]
        if (box[0][:2] > high[:2] + reach).any() or (box[1][:2] < low[:2] - reach).any() or box[0][2] > high[2] + 0.1 * reach:
            continue
        mesh = assets.mesh(whole.parts[i].mesh or "")
        points = mesh.vertices.astype(float) @ worlds[i][:3, :3].T + worlds[i][:3, 3]
        if len(mesh.triangles) and np.isfinite(points).all():
            meshes.append((points, mesh.triangles))
    return physics.Ground(meshes, floor)


def _poses(how: Letting, tell: Callable) -> tuple[np.ndarray | None, bool]:
    """Every frame until all rests."""
    wanted, found, rests = round(how.seconds * FRAMES), [], False
    done = 0
    while done < wanted and not rests:
        if not tell("Falling", 0.4 + 0.6 * done / wanted):
            return None, False
        told, rests = physics.more(min(TOGETHER, wanted - done))
        found.append(told)
        done += len(told)
    return np.concatenate(found), rests


def _changes(poses: np.ndarray, middles: np.ndarray) -> np.ndarray:
    """(frames, things, 4, 4) changes of the world from places of middles and turns."""
    from scipy.spatial.transform import Rotation

    frames, things = poses.shape[:2]
    made = np.tile(np.eye(4), (frames, things, 1, 1))
    made[..., :3, :3] = Rotation.from_quat(poses[..., 3:].reshape(-1, 4)).as_matrix().reshape(frames, things, 3, 3)
    made[..., :3, 3] = poses[..., :3] - np.einsum("fbij,bj->fbi", made[..., :3, :3], middles)
    return made


# what becomes of it


def placements(document: Document, fall: Fall, seconds: float) -> dict[str, Placement]:
    """Where the parts are so many seconds after they were let go, to the nearest frame; what fell past everything is left out."""
    frame = int(np.clip(round(seconds * FRAMES), 0, len(fall.changes) - 1))
    return {
        i: arrange.changed_placement(document, i, fall.changes[frame, n])
        for n, i in enumerate(fall.parts)
        if i not in fall.lost and i in document.parts
    }


def kept(document: Document, fall: Fall, seconds: float) -> Document:
    """The document with the parts where they are at a moment of the fall."""
    return edits.place_parts(document, placements(document, fall, seconds))


def as_motion(document: Document, fall: Fall, start: float, seconds: float) -> Document:
    """The document with the fall as keys from a moment of the film on, up to a moment of the fall: no more keys than it takes to be within two
    thousandths of a thing's size, and a film that is long enough."""
    frames = int(np.clip(round(seconds * FRAMES), 1, len(fall.changes) - 1)) + 1
    keys = dict(document.keys)
    for number, part_id in enumerate(fall.parts):
        if part_id in fall.lost or part_id not in document.parts:
            continue
        changes = fall.changes[:frames, number]
        wanted = _telling(changes, fall.sizes[number])
        placed = [arrange.changed_placement(document, part_id, changes[f]) for f in wanted]
        for field, values in (("position", [p.position for p in placed]), ("turn", unwound([p.turn for p in placed]))):
            times = [round(start + f / FRAMES, 6) for f in wanted]
            keys[f"parts/{part_id}/placement/{field}"] = tuple(Key(t, v, after="even") for t, v in zip(times, values))
    film = document.film
    end = start + (frames - 1) / FRAMES
    if end > film.end:
        film = replace(film, end=end, play_end=max(end, film.play_end))
    return replace(document, keys=keys, film=film)


def _telling(changes: np.ndarray, size: float) -> list[int]:
    """The frames that tell of a thing's way, by the corners of axes that move with it."""
    corners = np.concatenate([changes[:, :3, 3:], changes[:, :3, 3:] + size * changes[:, :3, :3]], axis=2)
    return fewest(np.arange(len(changes), dtype=float), corners.reshape(len(changes), -1) / max(size, 1e-12), NEAR)
