"""What a new revision of a file changes: read it, pair its parts with those that are there, tell every difference."""

from collections import Counter
from pathlib import Path
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document.apart import Progress
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import digest_of_file
from aulmo.document.quantity import counted, show
from aulmo.document.records import Document, Finesse, Source
from aulmo.errors import BadFile
from aulmo.prepare.choices import UNITS
from aulmo.prepare.import_file import read_alone
from aulmo.prepare.revision.pairs import Pairs, pair
from aulmo.prepare.revision.state import ALIKE, EXACT, Said, in_unit, remembered, said_of, stood, world_boxes

KINDS = ("gone", "new", "reshaped", "moved", "renamed", "recoloured", "elsewhere")
OTHER_PRODUCT = 0.2  # share of the parts of the smaller revision that has to be found again
STILL = 1e-4  # of a part's size: it stands where it stood


class Change(NamedTuple):
    """One difference. `old` and `new` are ids of the part before and of the new revision's own, "" for none; `words` say how much; `doubt` why both
    may be one part, "" where that is sure."""

    kind: str
    old: str
    new: str
    name: str
    words: str = ""
    doubt: str = ""


class Revision(NamedTuple):
    """A file that was read again: which `source` of the project it is, what is in it as a document of its own, what it said before and says now, how
    the parts pair, and the changes. `known` tells whether it is known what it said before. `other` : it is another product altogether."""

    source: str
    path: str
    digest: str
    fresh: Document
    before: Said
    now: Said
    pairs: Pairs
    changes: tuple[Change, ...]
    known: bool
    other: bool
    unit_words: str = ""


def source_for(document: Document, path: Path) -> Source | None:
    """The file of the project that a path is a revision of: the same file, else one of the same name, else the only one of its kind."""
    target = Path(path).resolve()
    sources = list(document.sources.values())
    for same in (lambda s: s.path == str(target), lambda s: s.name.lower() == target.name.lower()):
        found = [s for s in sources if same(s)]
        if found:
            return found[0]
    alike = [s for s in sources if Path(s.name).suffix.lower() == target.suffix.lower()]
    return alike[0] if len(alike) == 1 else None


def read_revision(document: Document, assets: AssetStore, source_id: str, path: Path, progress: Progress = None) -> Revision:
    """Read a file as a new revision of a source. Nothing is changed. Raises BadFile with one sentence, or Cancelled."""
    source = document.sources[source_id]
    before, known = remembered(document, assets, source)
    path = Path(path)
    digest = digest_of_file(path)
    held_parts = [document.parts[n.id] for n in before.nodes if n.id in document.parts and document.parts[n.id].shape is not None]
    usual = Counter(p.finesse for p in held_parts).most_common(1)
    fresh = read_alone(assets, path, usual[0][0] if usual else Finesse(), progress, whole=source.whole, dressed=source.dressed)
    if digest_of_file(path) != digest:
        raise BadFile(f"{path.name} changed while it was read; it is read again when it rests.")
    held = next(iter(fresh.sources.values()))
    old_shapes = dict(before.shapes)
    now = said_of(fresh, assets, held.roots, old_shapes if before.unit_mm == held.unit_mm else None)
    now = Said(now.nodes, now.shapes, held.unit_mm, held.up, stood(fresh.cameras.values()))
    before_here, words = _in_one_unit(before if known else _standing_as(before, now), now)
    pairs = pair(before_here, now)
    few = min(sum(bool(n.shape) for n in before.nodes), sum(bool(n.shape) for n in now.nodes))
    leaves = {n.id for n in now.nodes if n.shape}
    met = sum(i in leaves for i in pairs.same)
    other = few > 0 and met < max(1, OTHER_PRODUCT * few)
    return Revision(source_id, str(path), digest, fresh, before_here, now, pairs, tuple(changes(before_here, now, pairs)), known, other, words)


def _standing_as(before: Said, now: Said) -> Said:
    """What there is with its roots where the file has them now: it is not known where the file had them, and they were put on the floor since."""
    new_roots = [n for n in now.nodes if not n.parent]
    by_name = {n.name: n.matrix for n in new_roots}
    only = new_roots[0].matrix if new_roots else None
    roots = {n.id for n in before.nodes} - {n.id for n in before.nodes if n.parent in before.by_id}
    nodes = tuple(replace(n, matrix=by_name.get(n.name, only) or n.matrix) if n.id in roots else n for n in before.nodes)
    return replace(before, nodes=nodes)


def _in_one_unit(before: Said, now: Said) -> tuple[Said, str]:
    """What the file said before, in the unit and with the axis up that it has now; words when its numbers mean something else now."""
    turned = in_unit(before, before.unit_mm, now.up)
    sizes = [_whole_size(s) for s in (turned, now)]
    if min(sizes) <= 0:
        return turned, ""
    ratio = sizes[1] / sizes[0]
    for unit in (*UNITS, 1 / 25.4, 1 / 1000.0, 0.1, 1 / 304.8):
        if unit != 1.0 and abs(ratio / unit - 1) < 0.03:
            names = sorted({n.name for n in before.nodes} & {n.name for n in now.nodes})
            if len(names) * 3 >= len(before.nodes):
                return in_unit(turned, turned.unit_mm * unit, turned.up), f"its numbers are {_times(unit)} as large as before: another unit"
    return turned, ""


def _times(unit: float) -> str:
    return f"{unit:g} times" if unit > 1 else f"1/{1 / unit:g}"


def _whole_size(said: Said) -> float:
    boxes = [b for b in world_boxes(said).values() if b[2].any()]
    if not boxes:
        return 0.0
    low = np.min([m - s / 2 for _, m, s in boxes], axis=0)
    high = np.max([m + s / 2 for _, m, s in boxes], axis=0)
    return float((high - low).max())


def changes(before: Said, now: Said, pairs: Pairs) -> list[Change]:
    """Every difference between two revisions, doubtful ones first, then by kind, in the order of the tree."""
    olds, news = before.by_id, now.by_id
    old_boxes, new_boxes = world_boxes(before), world_boxes(now)
    out: list[Change] = []
    both = {**pairs.same, **{n: o for n, (o, _, _) in pairs.doubtful.items()}}
    place = {n.id: k for k, n in enumerate(now.nodes)}
    for new_id in sorted(both, key=place.__getitem__):
        old_id = both[new_id]
        old, new = olds[old_id], news[new_id]
        doubt = pairs.doubtful[new_id][1] if new_id in pairs.doubtful else ""
        found: list[tuple[str, str]] = []
        if old.shape and new.shape and old.shape != new.shape:
            one, two = before.shapes[old.shape], now.shapes[new.shape]
            if not one.like(two) and not one.turned_like(two):
                found.append(("reshaped", _how_reshaped(before, now, old_id, new_id, old_boxes, new_boxes)))
        moved = _how_moved(old_id, new_id, both, olds, news, old_boxes, new_boxes, bool(found))
        if moved:
            found.append(("moved", moved))
        if old.name != new.name:
            found.append(("renamed", f"was {old.name}"))
        if old.colour and (old.colour != new.colour or [s[0] for s in old.sets] != [s[0] for s in new.sets]):
            if old.shape and new.shape:
                found.append(("recoloured", "another colour in the file" if old.colour != new.colour else "other faces coloured"))
        if old.parent in olds and new.parent in news and both.get(new.parent) != old.parent and new.parent in both:
            found.append(("elsewhere", f"now in {news[new.parent].name}"))
        if doubt and not found:
            found.append(("moved", ""))
        out.extend(Change(kind, old_id, new_id, new.name, words, doubt) for kind, words in found)
    alone = set(pairs.new)
    out.extend(Change("new", "", i, news[i].name, _holds(now, i)) for i in (n.id for n in now.nodes) if i in alone and _top(news, i, alone))
    lost = set(pairs.gone)
    out.extend(Change("gone", i, "", olds[i].name, _holds(before, i)) for i in (n.id for n in before.nodes) if i in lost and _top(olds, i, lost))
    order = {kind: k for k, kind in enumerate(KINDS)}
    return sorted(out, key=lambda c: (not c.doubt, order[c.kind]))


def _top(nodes: dict, part_id: str, alone: set[str]) -> bool:
    """Whether what is above a part is not told already."""
    return nodes[part_id].parent not in alone


def _holds(said: Said, part_id: str) -> str:
    inside = {part_id}
    count = 0
    for node in said.nodes:
        if node.parent in inside:
            inside.add(node.id)
            count += bool(node.shape)
    return counted(count, "part") if count else ""


def _how_reshaped(before: Said, now: Said, old_id: str, new_id: str, old_boxes: dict, new_boxes: dict) -> str:
    size, larger = old_boxes[old_id][2], new_boxes[new_id][2]
    grown = larger - size
    told = ALIKE * np.maximum(size, larger) + EXACT * max(float(size.max()), 1e-9)
    k = int(np.argmax(np.abs(grown) / told))
    one, two = before.shapes[before.by_id[old_id].shape], now.shapes[now.by_id[new_id].shape]
    words = []
    if abs(grown[k]) > told[k]:
        more, less = (("wider", "narrower"), ("deeper", "shallower"), ("taller", "shorter"))[k]
        words.append(f"{show(abs(float(grown[k])), 'mm', 2)} {more if grown[k] > 0 else less}")
    faces = len(two.faces) - len(one.faces)
    if faces:
        words.append(f"{counted(abs(faces), 'face')} {'more' if faces > 0 else 'fewer'}")
    if not words:
        share = two.area / max(one.area, 1e-30) - 1
        words.append(f"surface {show(100 * abs(share), '%', 1)} {'larger' if share > 0 else 'smaller'}" if abs(share) > 5e-4 else "shaped otherwise")
    return ", ".join(words)


def _how_moved(old_id: str, new_id: str, both: dict, olds: dict, news: dict, old_boxes: dict, new_boxes: dict, reshaped: bool) -> str:
    """How far a part went, beyond what the groups above it did; "" when it stands where it stood."""
    old, new = olds[old_id], news[new_id]
    one, two = np.array(old.matrix).reshape(4, 4), np.array(new.matrix).reshape(4, 4)
    above_old, above_new = old_boxes.get(old.parent), new_boxes.get(new.parent)
    together = both.get(new.parent) == old.parent and above_old is not None and above_new is not None
    size = max(float(old_boxes[old_id][2].max()), float(new_boxes[new_id][2].max()), 1.0)
    if np.allclose(one, two, atol=STILL * size) and (together or not old.parent or not new.parent):
        return ""
    if reshaped and together:  # shaped otherwise about the same place of its axes
        away = two[:3, 3] - one[:3, 3]
        linear = above_new[0][:3, :3] if above_new is not None else np.eye(3)
        away = linear @ away
    else:
        carried = np.eye(4) if not together else above_new[0] @ np.linalg.inv(above_old[0])  # type: ignore[index]
        was = carried[:3, :3] @ old_boxes[old_id][1] + carried[:3, 3]
        away = new_boxes[new_id][1] - was
    far = float(np.linalg.norm(away))
    if far < STILL * size:
        turned = not reshaped and np.abs(new_boxes[new_id][2] - old_boxes[old_id][2]).max() > 1e-3 * size
        return "turned" if turned else ""
    k = int(np.argmax(np.abs(away)))
    if abs(away[k]) > 0.98 * far:
        return f"{show(far, 'mm', 2)} along {'−' if away[k] < 0 else ''}{'xyz'[k]}"
    return f"{show(far, 'mm', 2)} away"
