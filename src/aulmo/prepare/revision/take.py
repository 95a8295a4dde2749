"""Taking a revision: the project with the engineer's changes in it and all that was done since kept, as far as it can be."""

from collections import Counter
from pathlib import Path
from typing import Iterable, Mapping, NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits, tree, variants
from aulmo.document.apart import Progress
from aulmo.document.assets import AssetStore
from aulmo.document.branches import below, new_id
from aulmo.document.decals import decals_on, put_decal
from aulmo.document.meshes import digest_of_file
from aulmo.document.placement import from_matrix, to_matrix
from aulmo.document.quantity import counted
from aulmo.document.records import Document, Finesse, Part, Piece, Source
from aulmo.document.variant_records import Axis, Choice
from aulmo.errors import BadValue
from aulmo.prepare.cutting import as_piece
from aulmo.prepare.file_cameras import moved
from aulmo.prepare.health.mend_mesh import mended_again
from aulmo.prepare.import_file import change_each_finesse, import_file
from aulmo.prepare.revision.compare import Change, Revision, read_revision, source_for
from aulmo.prepare.revision.faces import FAR, faces_again, frame_between, nearest_on
from aulmo.prepare.revision.state import Node, kept, look_of


class Report(NamedTuple):
    """What became of the parts, by name, and of what was done with them, in sentences."""

    kept: tuple[str, ...]
    new: tuple[str, ...]
    gone: tuple[str, ...]
    lost: tuple[str, ...]
    notes: tuple[str, ...] = ()


def relink(document: Document, assets: AssetStore, path: Path, progress: Progress = None) -> tuple[Document, Report]:
    """Read a file as a revision of the one it belongs to and take all of it. A file that is another product altogether is brought in beside it
    instead, which is told. Raises BadFile, BadValue when the project has no such file, or Cancelled."""
    source = source_for(document, Path(path))
    if source is None:
        raise BadValue(f"Nothing of {Path(path).name} is in this project; bring it in first.")
    revision = read_revision(document, assets, source.id, Path(path), progress)
    if revision.other:
        made = import_file(document, assets, Path(path), progress=progress)
        names = tuple(made.document.parts[i].name for i in edits.leaves(made.document, made.roots))
        note = f"{Path(path).name} is another product than {source.name}: it was brought in beside it."
        return made.document, Report((), names, (), (), (note,))
    return take(document, assets, revision, progress=progress)


def take(
    document: Document, assets: AssetStore, revision: Revision, left: Iterable[Change] = (), decided: Mapping[str, bool] | None = None,
    keep_old: bool = False, progress: Progress = None,
) -> tuple[Document, Report]:  # fmt: skip
    """The document with a revision in it, without the changes in `left`. `decided` tells, by the id of a new part, whether a doubtful pair is one;
    what nobody decided is one where that is likely. With `keep_old` the state before stays as a choice of an axis. Raises BadValue or BadFile."""
    return _Taking(document, assets, revision, set(left), dict(decided or {}), keep_old, progress).result()


class _Taking:
    def __init__(self, document, assets, revision, left, decided, keep_old, progress) -> None:
        self.base, self.document, self.assets, self.revision = document, document, assets, revision
        self.progress, self.keep_old = progress, keep_old
        self.source: Source = document.sources[revision.source]
        self.left = {(c.kind, c.old, c.new) for c in left}
        self.olds, self.news = revision.before.by_id, revision.now.by_id
        pairs = revision.pairs
        chosen = {n: o for n, (o, _, likely) in pairs.doubtful.items() if decided.get(n, likely)}
        self.same: dict[str, str] = {**pairs.same, **chosen}
        refused = {n: o for n, (o, _, _) in pairs.doubtful.items() if n not in chosen}
        self.new = [n.id for n in revision.now.nodes if n.id in {*pairs.new, *refused} and ("new", "", n.id) not in self.left]
        self.gone = [o for o in (*pairs.gone, *refused.values()) if ("gone", o, "") not in self.left]
        self.lost: list[str] = []
        self.notes: list[str] = [revision.unit_words] if revision.unit_words else []
        self.became: dict[str, str] = {}  # by the id of a new part, that of the part of the project
        self.owners = self._owners()
        self._by_look = self._looks_worn()
        self._added: list[str] = []
        self.overrides: dict[str, object] = {}  # of the choice that is the state before

    def result(self) -> tuple[Document, Report]:
        """The document and what became of everything."""
        names = []
        finesse: dict[str, Finesse] = {}
        changed = {(c.kind, c.old) for c in self.revision.changes}
        for node in self.revision.now.nodes:
            old_id = self.same.get(node.id)
            if old_id is None:
                continue
            for part_id in self.owners.get(old_id, ()):
                self.became.setdefault(node.id, part_id)
                self._take_part(self.olds[old_id], node, part_id, changed, finesse)
                if node.shape:
                    names.append(self.document.parts[part_id].name)
        self._add_new()
        self._add_cameras()
        self._order()
        if finesse:
            self.document = change_each_finesse(self.document, self.assets, finesse, self.progress)
        gone = self._take_away()
        self._tell_source()
        if self.keep_old and self.overrides:
            self._keep_old()
        self.document = edits.drop_unused_materials(edits.without_keys(self.document))
        new = tuple(self.document.parts[i].name for i in self._added if self.document.parts[i].mesh is not None)
        return self.document, Report(tuple(names), new, tuple(gone), tuple(dict.fromkeys(self.lost)), tuple(self.notes))

    # what was there

    def _looks_worn(self) -> dict[str, str]:
        """By how a material of the file looks, what parts that came in it wear here, mostly."""
        held: dict[str, Counter] = {}
        for new, old in self.same.items():
            before = self.olds[old]
            for part_id in self.owners.get(old, ()):
                worn = self.base.parts[part_id].material
                if before.colour and worn and self.news[new].colour == before.colour:
                    held.setdefault(before.colour, Counter())[worn] += 1
        return {look: count.most_common(1)[0][0] for look, count in held.items()}

    def _owners(self) -> dict[str, list[str]]:
        """By the id of a file's part, the parts of the project that it is: itself, or the pieces that it was split into."""
        by_key: dict[str, list[str]] = {}
        for part in self.document.parts.values():
            if part.source_key and part.id not in self.olds:
                by_key.setdefault(part.source_key, []).append(part.id)
        inside = {i for r in self.source.roots if r in self.document.parts for i in below(self.document, r)}
        out = {}
        for node in self.revision.before.nodes:
            own = [node.id] if node.id in self.document.parts else []
            out[node.id] = own + [i for i in by_key.get(node.key, ()) if i in inside]
        return out

    def _material(self, node_id: str) -> str | None:
        """A material of the project for what the new revision wears: what parts of that look wear here, else the file's own."""
        return self._worn(self.revision.fresh.parts[node_id].material)

    def _worn(self, fresh_id: str | None) -> str | None:
        if fresh_id is None:
            return None
        fresh = self.revision.fresh.materials[fresh_id]
        look = look_of(self.revision.fresh, fresh_id)
        found = self._by_look.get(look)
        if found is not None and found in self.document.materials:
            return found
        if fresh_id not in self.document.materials:
            taken = {m.name for m in self.document.materials.values()}
            self.document = edits.put_material(self.document, replace(fresh, name=edits.free_name(fresh.name, taken)))
        self._by_look[look] = fresh_id
        return fresh_id

    def _wants(self, kind: str, old: Node, new: Node) -> bool:
        return (kind, old.id, new.id) not in self.left

    # one part

    def _take_part(self, old: Node, new: Node, part_id: str, changed: set, finesse: dict[str, Finesse]) -> None:
        part = self.document.parts[part_id]
        fresh = self.revision.fresh.parts[new.id]
        changes: dict = {"source_key": fresh.source_key}
        if part.name == old.name and old.name != new.name and self._wants("renamed", old, new):
            changes["name"] = new.name
        matrix = np.array(new.matrix).reshape(4, 4)
        if old.shape and new.shape:
            one, two = self.revision.before.shapes[old.shape], self.revision.now.shapes[new.shape]
            between = frame_between(one, two)
            if between is None and self._wants("reshaped", old, new) and part.set_piece is None:
                changes |= self._reshaped(old, new, part, fresh, finesse)
            elif between is not None:
                matrix = matrix @ between  # the part keeps its own triangles, in its own axes
        was = np.array(old.matrix).reshape(4, 4)
        if ("moved", old.id) in changed and self._wants("moved", old, new) or not np.allclose(was, matrix, atol=1e-6):
            if self._wants("moved", old, new) and not np.allclose(was, matrix, atol=1e-6):
                done = to_matrix(part.placement) @ np.linalg.inv(was)
                self._old_value(part, "placement/position", part.placement.position)
                self._old_value(part, "placement/turn", part.placement.turn)
                changes["placement"] = from_matrix(done @ matrix)
        if old.colour and old.colour != new.colour and old.shape and self._wants("recoloured", old, new):
            if part.material == (old.material or None):
                self._old_value(part, "material", part.material)
                changes["material"] = self._material(new.id)
            else:
                self.notes.append(f"{part.name} has another colour in the file; it wears what you gave it")
        self.document = edits.change_part(self.document, part_id, **changes)

    def _old_value(self, part: Part, field: str, value) -> None:
        if self.keep_old:
            self.overrides[f"parts/{part.id}/{field}"] = value

    def _reshaped(self, old: Node, new: Node, part: Part, fresh: Part, finesse: dict[str, Finesse]) -> dict:
        """What changes of a part that has another shape now; what lies on its faces goes along."""
        one, two = self.revision.before.shapes[old.shape], self.revision.now.shapes[new.shape]
        again = faces_again(one, two)
        piece = part.piece
        mesh_name = fresh.mesh or ""
        if piece is not None:
            found = tuple(again[f] for f in piece.faces if f in again)
            if piece.faces and not found:
                self.lost.append(f"{part.name} was split off; none of its faces is in the new shape, so it stays as it was")
                return {}
            if len(found) < len(piece.faces):
                self.lost.append(f"{part.name} was split off; {counted(len(piece.faces) - len(found), 'face')} of it cannot be found again")
            piece = Piece(faces=found, slices=piece.slices)
            made = as_piece(self.assets.mesh(mesh_name), piece)
            if made is None:
                self.lost.append(f"{part.name} was cut; nothing is left of the new shape there, so it stays as it was")
                return {}
            mesh_name = self.assets.add_mesh(made)
        if self.keep_old:
            self._stays_as_choice(part)
        sets = []
        file_sets = {s.faces for s in fresh.face_sets}
        for held in part.face_sets:
            found = tuple(sorted({again[f] for f in held.faces if f in again}))
            if len(found) < len(held.faces):
                missing = len(held.faces) - len([f for f in held.faces if f in again])
                self.lost.append(f"{part.name}: {held.name} cannot find {counted(missing, 'face')} again" + ("" if found else "; it is gone"))
            if found:
                sets.append(replace(held, faces=found))
        if not part.face_sets and file_sets:
            sets = [replace(s, material=self._worn(s.material)) for s in fresh.face_sets]
        self._move_decals(part, mesh_name)
        if part.mends:
            mesh_name = self.assets.add_mesh(mended_again(self.assets.mesh(mesh_name), part.mends))
        if fresh.shape is not None and part.finesse != fresh.finesse:
            finesse[part.id] = part.finesse
        return {"mesh": mesh_name, "shape": fresh.shape, "piece": piece, "face_sets": tuple(sets), "finesse": fresh.finesse}

    def _move_decals(self, part: Part, mesh_name: str) -> None:
        """Decals that lie on a part stay at their place, on the new surface."""
        mesh = self.assets.mesh(mesh_name)
        size = float(np.ptp(mesh.vertices, axis=0).max())
        moved = 0
        for decal in decals_on(self.document, part.id):
            if decal.belongs == "region" or decal.parts[:1] != (part.id,):
                continue
            place, far = nearest_on(mesh, np.array(decal.position))
            if far > FAR * size:
                self.lost.append(f"{decal.name} has nothing of {part.name} below it any more")
            elif far > 1e-4 * size:
                x, y, z = (float(v) for v in place)
                self.document = put_decal(self.document, replace(decal, position=(x, y, z)))
                moved += 1
        if moved:
            self.notes.append(f"{part.name}: {counted(moved, 'decal')} moved along")

    # what is new, and what is gone

    def _add_new(self) -> None:
        fresh = self.revision.fresh
        root_done = self._done_to_roots()
        wanted = set(self.new)
        for part_id in self.new:
            part = fresh.parts[part_id]
            above = self.news[part_id].parent
            while above and above not in self.became and above not in wanted:
                above = self.news[above].parent
            parent = self.became.get(above, above if above in wanted else None) if above else None
            placement = part.placement if parent is not None else from_matrix(root_done @ to_matrix(part.placement))
            sets = tuple(replace(s, material=self._worn(s.material)) for s in part.face_sets)
            made = replace(
                part, parent=parent, children=(), placement=placement, material=self._material(part_id) if part.mesh is not None else None,
                face_sets=sets,
            )  # fmt: skip
            self.document = edits.add_parts(self.document, [made], [made.id] if parent is None else [])
            if parent is not None:
                self.document = edits.change_part(self.document, parent, children=(*self.document.parts[parent].children, made.id))
            self.became[part_id] = part_id
            self._added.append(part_id)
            if self.keep_old and made.visible and part.mesh is not None:
                self.overrides[f"parts/{part_id}/visible"] = False
        worn = Counter(self.document.materials[m].name for i in self._added if (m := self.document.parts[i].material))
        if worn and self._added:
            self.notes.append("New parts wear " + ", ".join(worn))

    def _add_cameras(self) -> None:
        """New cameras of the file come along, once; those that stand elsewhere in it now are told, and left as they are here."""
        before, now = self.revision.before.cameras, self.revision.now.cameras
        if not self.revision.known:
            return
        for camera in self.revision.fresh.cameras.values():
            if camera.name in before:
                if not np.allclose(before[camera.name], now[camera.name], rtol=1e-6, atol=1e-3):
                    self.notes.append(f"The camera {camera.name} stands elsewhere in the file; yours stays where it is")
                continue
            name = edits.free_name(camera.name, [c.name for c in self.document.cameras.values()])
            self.document = edits.put_camera(self.document, replace(moved(camera, self._done_to_roots()), name=name))
            self.notes.append(f"The camera {name} came along")

    def _done_to_roots(self) -> np.ndarray:
        """What the project did to the place of the file's roots: rested on the floor, centred, and what the artist did."""
        for root in self.source.roots:
            if root in self.olds and root in self.base.parts:
                return to_matrix(self.base.parts[root].placement) @ np.linalg.inv(np.array(self.olds[root].matrix).reshape(4, 4))
        return np.eye(4)

    def _order(self) -> None:
        """New parts stand after the one that they follow in the file, and parts go where the file has them unless somebody moved them here."""
        for node in self.revision.now.nodes:
            part_id, old_id = self.became.get(node.id), self.same.get(node.id)
            if part_id is None or old_id is None or part_id not in self.document.parts:
                continue
            before, above = self.olds[old_id].parent, self.became.get(node.parent)
            part = self.document.parts[part_id]
            unmoved = (part.parent or "") == before
            elsewhere = unmoved and above and above != part.parent and above not in below(self.document, part_id)
            if elsewhere and self._wants("elsewhere", self.olds[old_id], node):
                self.document = tree.move_into(self.document, [part_id], above)
                local = np.array(node.matrix).reshape(4, 4)
                self.document = edits.change_part(self.document, part_id, placement=from_matrix(local))
        follows: dict[str, str] = {}
        last: dict[str, str] = {}
        for node in self.revision.now.nodes:
            mine = self.became.get(node.id)
            if mine:
                follows[mine] = last.get(node.parent, "")
                last[node.parent] = mine
        for part_id in self._added:
            before_it, part = follows.get(part_id, ""), self.document.parts[part_id]
            siblings = self.document.parts[part.parent].children if part.parent else self.document.roots
            if before_it in siblings:
                rest = [i for i in siblings if i != part_id]
                rest.insert(rest.index(before_it) + 1, part_id)
                if part.parent:
                    self.document = edits.change_part(self.document, part.parent, children=tuple(rest))
                else:
                    self.document = replace(self.document, roots=tuple(rest))

    def _take_away(self) -> list[str]:
        """Parts that are gone go; those that something hangs on are kept aside, hidden, until that is dismissed."""
        names, aside, away = [], [], []
        for old_id in self.gone:
            for part_id in self.owners.get(old_id, ()):
                part = self.document.parts.get(part_id)
                if part is None or part_id in self.became.values():
                    continue
                if part.mesh is None:
                    away.append(part_id)
                    continue
                names.append(part.name)
                hung = hanging_on(self.document, part_id)
                if hung or self.keep_old:
                    aside.append(part_id)
                    if hung:
                        self.lost.append(f"{part.name} is gone: {hung} kept aside")
                    if self.keep_old and part.visible:
                        self.overrides[f"parts/{part_id}/visible"] = True
                else:
                    away.append(part_id)
        away = [i for i in away if all(b in away for b in below(self.document, i)) and i not in aside]
        if away:
            self.document = edits.delete_parts(self.document, away)
        if aside:
            self._put_aside(aside)
        return names

    def _put_aside(self, part_ids: list[str]) -> None:
        root = next((r for r in self.source.roots if r in self.document.parts), None)
        group = next((p.id for p in self.document.parts.values() if p.name == ASIDE and p.parent == root), None)
        if group is None:
            group = new_id()
            self.document = edits.add_parts(self.document, [Part(id=group, name=ASIDE, parent=root, locked=True)], [] if root else [group])
            if root:
                self.document = edits.change_part(self.document, root, children=(*self.document.parts[root].children, group))
        for part_id in part_ids:
            self.document = edits.change_part(self.document, part_id, visible=False, locked=False)
            self.document = tree.move_into(self.document, [part_id], group)

    def _stays_as_choice(self, part: Part) -> None:
        """A twin of a part as it was, hidden but in the choice that is the state before."""
        twin = replace(
            part, id=new_id(), name=f"{part.name}, before", visible=False, children=(), source_key="",
            face_sets=tuple(replace(s, id=new_id()) for s in part.face_sets),
        )  # fmt: skip
        self.document = edits.add_parts(self.document, [twin], [twin.id] if twin.parent is None else [])
        if twin.parent:
            self.document = edits.change_part(self.document, twin.parent, children=(*self.document.parts[twin.parent].children, twin.id))
        if part.visible:
            self.overrides[f"parts/{part.id}/visible"] = False
            self.overrides[f"parts/{twin.id}/visible"] = True

    def _keep_old(self) -> None:
        name = edits.free_name("Revision", [a.name for a in self.document.axes])
        there = {a: v for a, v in self.overrides.items() if a.split("/")[1] in self.document.parts}
        path = Path(self.revision.path)
        axis = Axis(new_id(), name, (Choice(new_id(), "New"), Choice(new_id(), "Before", variants.checked(self.document, there))))
        self.document = variants.put_axis(self.document, axis)
        self.notes.append(f"The state before {path.name} came is the choice Before of {name}")

    def _tell_source(self) -> None:
        """The file's record, and what it says now by the ids that its parts have in the project."""
        now = self.revision.now
        nodes = []
        for node in now.nodes:
            mine = self.became.get(node.id)
            if mine is None:
                continue
            old = self.olds.get(self.same.get(node.id, ""))
            worn = old.material if old is not None and old.colour == node.colour else self.document.parts[mine].material or ""
            parent = self.became.get(node.parent, "")
            nodes.append(Node(mine, node.key, node.name, parent, node.matrix, node.shape, worn, node.colour, node.sets))
        said = kept(replace(now, nodes=tuple(nodes)), self.assets)
        fresh = next(iter(self.revision.fresh.sources.values()))
        roots = [self.became[i] for i in fresh.roots if i in self.became]
        still = [r for r in self.source.roots if r in self.document.parts]
        roots = list(dict.fromkeys([*still, *(r for r in roots if self.document.parts[r].parent is None)]))
        path = Path(self.revision.path)
        source = replace(
            self.source, name=path.name, path=str(path.resolve()), digest=self.revision.digest or digest_of_file(path), said=said, roots=tuple(roots),
            aside=tuple(dict.fromkeys((*self.source.aside, *self.lost))), solids=fresh.solids, unit_mm=now.unit_mm, up=now.up,
        )  # fmt: skip
        self.document = replace(self.document, sources={**self.document.sources, source.id: source})


ASIDE = "Gone, kept aside"


def hanging_on(document: Document, part_id: str) -> str:
    """What was done with a part that would go with it, in words; "" for nothing but what it wears."""
    mine = f"parts/{part_id}/"
    counts = {
        "key": sum(len(held) for a, held in document.keys.items() if a.startswith(mine)),
        "motion": sum(any(w == mine[:-1] or w.startswith(mine) for w in m.wears) for m in document.motions.values()),
        "decal": sum(part_id in d.parts for d in document.decals.values()),
        "lamp": sum(lamp.part == part_id or part_id in lamp.lights for lamp in document.lamps.values()),
        "choice": sum(any(a.startswith(mine) for a in c.overrides) for axis in document.axes for c in axis.choices),
        "shot": sum(any(a.startswith(mine) for a in s.overrides) for s in document.shots),
        "camera": sum(part_id in (c.looks_at, c.focus_on) for c in document.cameras.values()),
    }
    return ", ".join(counted(n, what) for what, n in counts.items() if n)


def dismiss(document: Document, source_id: str) -> Document:
    """What a revision could not keep is let go of: the sentences, and the parts that were kept aside."""
    source = document.sources[source_id]
    inside = {i for r in source.roots if r in document.parts for i in below(document, r)}
    groups = [p.id for p in document.parts.values() if p.name == ASIDE and p.id in inside]
    document = replace(document, sources={**document.sources, source_id: replace(source, aside=())})
    if not groups:
        return document
    return edits.drop_unused_materials(edits.delete_parts(edits.change_parts(document, groups, locked=False), groups))


