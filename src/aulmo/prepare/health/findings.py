"""All that is wrong with the parts of a project, worst first: what each thing is, where it is, how large, and what mending it would do."""

from typing import Iterable, NamedTuple

import numpy as np

from aulmo.document.apart import Progress
from aulmo.document.assets import AssetStore
from aulmo.document.quantity import counted, grouped, show
from aulmo.document.records import Document
from aulmo.prepare.health.finer import fine
from aulmo.prepare.health.flaws import Flaw, extent
from aulmo.prepare.health.look import Body, Known, Look
from aulmo.prepare.health.meeting import coincident, doubled, overlaps
from aulmo.prepare.health.sight import unseen
from aulmo.prepare.health.sizes import cameras_of_shots, coarse, odd_sizes

KINDS = ("flipped", "open", "hole", "overlap", "coincident", "doubled", "scale", "coarse", "unseen", "sliver", "fine")  # worst first


class Finding(NamedTuple):
    """One thing that is wrong. `part` has it, `other` has a share in it or is ""; `at` is where, in the world, and `size_mm` how large.

    `points` (n, 3) is a rim or an outline in the world, in order, joined at its ends when `closed`; `cells` are triangles of the part's mesh.
    `words` say more than the kind does.
    """

    kind: str
    part: str
    size_mm: float
    at: tuple[float, float, float]
    words: str = ""
    other: str = ""
    cells: tuple[int, ...] = ()
    points: tuple[tuple[float, float, float], ...] = ()
    closed: bool = True


def examine(
    document: Document, assets: AssetStore, progress: Progress = None, known: Known | None = None,
    kinds: Iterable[str] = KINDS, from_shots: bool = False,
) -> list[Finding]:  # fmt: skip
    """Everything that is wrong with the visible parts, the worst kinds first, the largest of each first. Raises BadFile for a mesh that is gone.

    `known` is kept by the caller between two looks: only meshes that are new to it are looked at again. Set pieces are never wrong. `from_shots`
    tells of what no shot's camera sees, not only of what is seen from no side.
    """
    told = progress or (lambda text, share: True)
    wanted = set(kinds)
    if told("Reading the meshes", 0.0) is False:
        return []
    look = Look(document, assets, known)
    found: list[Finding] = []
    step = max(1, len(look.bodies) // 20)
    for number, body in enumerate(look.bodies):
        if number % step == 0 and told("Looking at every mesh", 0.1 + 0.4 * number / len(look.bodies)) is False:
            return []
        found.extend(_placed(body, flaw) for flaw in look.flaws_of(body) if flaw.kind in wanted and not _of_our_making(body, flaw))
    if told("Looking for what nobody sees", 0.5) is False:
        return []
    from_no_side = unseen(look, None)
    hidden = {body.part.id for body in from_no_side}
    eyes = [np.array(c.position) for _, c in cameras_of_shots(document)] if from_shots else []
    for body in unseen(look, eyes) if eyes else from_no_side:
        found.append(_whole("unseen", body, "from no side" if body.part.id in hidden else "from no shot"))
    if told("Looking for what stands in the same place", 0.6) is False:
        return []
    twice = doubled(look.bodies)
    for body, other in twice:
        found.append(_whole("doubled", body, f"as {other.part.name}", other.part.id))
    gone = {body.part.id for body, _ in twice} | hidden
    same = {frozenset((body.part.id, other.part.id)) for body, other in twice}
    for body, other, points in coincident(look, gone, same):
        same.add(frozenset((body.part.id, other.part.id)))
        found.append(Finding("coincident", body.part.id, extent(points), _middle(points), f"with {other.part.name}", other.part.id))
    if told("Looking for what overlaps", 0.7) is False:
        return []
    for body, other, low, high in overlaps(look, gone, same, told):
        depth = float((high - low).min())
        found.append(Finding("overlap", body.part.id, depth, _middle(np.array([low, high])), f"{other.part.name}", other.part.id))
    if told("Measuring sizes", 0.95) is False:
        return []
    for body, size, words in odd_sizes(look.bodies):
        found.append(_whole("scale", body, words)._replace(size_mm=size))
    for one in coarse(document, look.bodies):
        found.append(_whole("coarse", one.body, f"{show(one.pixels, '', 1)} pixels off in {one.shot}")._replace(size_mm=one.stray_mm))
    if "fine" in wanted:
        for told_fine in fine(document, look.bodies, look.known.fine, lambda: told("Measuring what is too fine", 0.98) is not False):
            saved = grouped(len(told_fine.body.mesh.triangles) - told_fine.left)
            holes = f" and {counted(told_fine.holes, 'hole')}" if told_fine.holes else ""
            each = f" in each of {told_fine.many}" if told_fine.many > 1 else ""
            words = f"{saved} triangles or more{holes} less{each}, {show(told_fine.off / told_fine.pixel, '', 2)} pixels off in {told_fine.shot}"
            found.append(_whole("fine", told_fine.body, words))
    order = {kind: k for k, kind in enumerate(KINDS)}
    clear = {b.part.id for b in look.bodies if b.clear}
    kept = [f for f in found if f.kind in wanted]
    return sorted(kept, key=lambda f: (order[f.kind], not ({f.part, f.other} & clear and f.kind == "overlap"), -f.size_mm))


def _of_our_making(body: Body, flaw: Flaw) -> bool:
    """Whether a flaw is how an exact shape was cut into triangles: another finesse cuts it otherwise, and nothing of it shows."""
    return flaw.kind == "sliver" and body.part.shape is not None


def _whole(kind: str, body: Body, words: str, other: str = "") -> Finding:
    return Finding(kind, body.part.id, body.size, _middle(np.array([body.low, body.high])), words, other)


def _middle(points: np.ndarray) -> tuple[float, float, float]:
    x, y, z = (points.reshape(-1, 3).min(0) + points.reshape(-1, 3).max(0)) / 2
    return float(x), float(y), float(z)


def _placed(body: Body, flaw: Flaw) -> Finding:
    """A flaw of a mesh as it stands in the world."""
    linear, moved = body.matrix[:3, :3], body.matrix[:3, 3]
    shown = flaw.points if len(flaw.points) else body.skin.points[body.skin.cells[flaw.cells]].reshape(-1, 3)
    world = shown @ linear.T + moved
    scale = float(np.cbrt(abs(np.linalg.det(linear))))
    size = flaw.size * scale if flaw.kind == "open" else extent(world)
    line = tuple(map(tuple, (flaw.points @ linear.T + moved).tolist())) if len(flaw.points) else ()
    at = _middle(world)
    return Finding(flaw.kind, body.part.id, float(size), at, "", "", tuple(int(c) for c in flaw.cells), line, flaw.closed)  # type: ignore[arg-type]
