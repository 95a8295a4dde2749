"""Props: a part or a group with all it wears and what belongs to it, kept in a file of its own, and taken into any project.

The file is a project that holds nothing else; any project can be taken in as one.
"""

from pathlib import Path
from typing import Iterable, NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits, project_file, tree
from aulmo.document.assets import AssetStore
from aulmo.document.placement import from_matrix, world_matrix
from aulmo.document.project_file import About
from aulmo.document.records import Document, Lamp, Prop
from aulmo.document.references import references, renamed
from aulmo.errors import BadFile, BadValue
from aulmo.light.staying import lamp_in_world, lamp_stays
from aulmo.prepare import arrange
from aulmo.surface.library import alike

SUFFIX = ".aulmoprop"


class Changed(NamedTuple):
    """A tied prop whose file holds something else than what stands in the project, or is no longer there."""

    prop: str
    name: str
    gone: bool


# keeping


def prop_of(document: Document, assets: AssetStore, part_ids: Iterable[str]) -> Document:
    """A document that holds nothing but some parts: on the floor where they stand, with their materials, decals, lamps, paths, keys and motions. What
    is above them leaves its scale with them. Raises BadValue where there is nothing to keep."""
    chosen = edits.topmost(document, [i for i in dict.fromkeys(part_ids) if i in document.parts])
    if arrange.bounds(document, assets, chosen) is None:
        raise BadValue("A prop needs a part with geometry.")
    document = edits.change_parts(document, document.parts, locked=False)
    lamps = _their_lamps(document, assets, chosen)
    held = tree.move_into(replace(document, lamps=lamps), chosen, None)
    held = edits.delete_parts(held, [i for i in held.roots if i not in chosen])
    held = _on_floor(held, assets)
    top = held.parts[held.roots[0]]
    kept = Document(
        name=top.name if len(held.roots) == 1 else document.name, parts=held.parts, roots=held.roots, selections=held.selections, paths=held.paths,
        materials=held.materials, colours=held.colours, decals=held.decals, lamps=held.lamps,
    )  # fmt: skip
    paths = references(replace(kept, paths={}, motions=held.motions), "paths")
    kept = edits.drop_unused_materials(replace(kept, paths={i: p for i, p in held.paths.items() if i in paths}))
    colours = references(kept, "colours")
    kept = replace(kept, colours={i: c for i, c in kept.colours.items() if i in colours}, keys=held.keys, motions=held.motions)
    return replace(edits.without_keys(kept), frames_per_second=document.frames_per_second)


def _on_floor(document: Document, assets: AssetStore) -> Document:
    """The document moved up or down so that it stands on the floor at 0."""
    box = arrange.bounds(document, assets, document.roots)
    assert box is not None
    return _moved(document, np.array([0.0, 0.0, -float(box[0][2])]))


def _moved(document: Document, by: np.ndarray) -> Document:
    """The document with all its roots, and the keys of their places, moved in the world; what stays with them goes along."""
    if not by.any():
        return document
    parts, keys = dict(document.parts), dict(document.keys)
    for i in document.roots:
        matrix = world_matrix(document, i)
        matrix[:3, 3] += by
        parts[i] = replace(parts[i], placement=from_matrix(matrix))
        address = f"parts/{i}/placement/position"
        if address in keys:
            keys[address] = tuple(replace(k, value=tuple(float(v) for v in np.array(k.value) + by)) for k in keys[address])
        for number, axis in enumerate("xyz"):
            if (one := f"{address}/{axis}") in keys:
                keys[one] = tuple(replace(k, value=float(k.value) + float(by[number])) for k in keys[one])  # type: ignore[arg-type]
    decals = {i: _shifted(d, by) if d.belongs == "region" else d for i, d in document.decals.items()}
    paths = {i: replace(p, points=tuple(tuple((np.array(q) + by).tolist()) for q in p.points)) for i, p in document.paths.items()}
    return replace(document, parts=parts, keys=keys, decals=decals, paths=paths)


def _shifted(decal, by: np.ndarray):
    """A region and where its parts stood, moved in the world."""
    stood = tuple(replace(s, place=tuple(v + (float(by[k // 4]) if k % 4 == 3 else 0.0) for k, v in enumerate(s.place))) for s in decal.stood)
    return replace(decal, position=tuple((np.array(decal.position) + by).tolist()), stood=stood)


def _their_lamps(document: Document, assets: AssetStore, chosen: list[str]) -> dict[str, Lamp]:
    """The lamps that stay with parts, and those that stand within them, which stay with the first of them from now on."""
    within = {i for c in chosen for i in edits.below(document, c)}
    box = arrange.bounds(document, assets, chosen)
    assert box is not None
    found = {}
    for lamp in document.lamps.values():
        lights = tuple(i for i in lamp.lights if i in within)
        if lamp.stays_with == "part" and (lamp.part in within or (lamp.part is None and document.roots[:1] == tuple(chosen[:1]))):
            found[lamp.id] = replace(lamp, lights=lights, part=lamp.part or chosen[0])
        elif lamp.stays_with == "scene" and lamp.kind not in ("distant", "sun"):
            at = np.array(lamp_in_world(document, lamp, None).position)
            if (at >= box[0]).all() and (at <= box[1]).all():
                found[lamp.id] = replace(lamp_stays(document, lamp, "part", chosen[0], None), lights=lights)
    return found


def keep_prop(document: Document, assets: AssetStore, part_ids: Iterable[str], path: Path) -> None:
    """Write parts with all that is theirs to a file, in the place of what was in it. Raises BadValue or CannotWrite."""
    write(prop_of(document, assets, part_ids), assets, Path(path))


def write(kept: Document, assets: AssetStore, path: Path, told: About | None = None, thumbnail: bytes | None = None) -> None:
    """Write a document that is kept, with those of some assets that are its own, over what was in the file. Raises CannotWrite."""
    own = AssetStore()
    own.take_from(assets, project_file.used_assets(kept))
    project_file.save(kept, own, path, thumbnail, over=True, about=told)


# taking in


def load(path: Path, root: str = "") -> tuple[Document, AssetStore]:
    """What a prop's file holds: of a whole project its product, or one of its roots. Raises BadFile."""
    path = Path(path)
    found, theirs = project_file.load(path)
    roots = [root] if root else list(found.roots) if path.suffix == SUFFIX else arrange.product_roots(found) or list(found.roots)
    if root and root not in found.parts:
        raise BadFile(f"{path.name} no longer holds what was taken from it.")
    if path.suffix != SUFFIX or root:
        try:
            found = prop_of(found, theirs, roots)
        except BadValue:
            raise BadFile(f"{path.name} holds no part with geometry.") from None
    if arrange.bounds(found, theirs, found.roots) is None:
        raise BadFile(f"{path.name} holds no part with geometry.")
    return found, theirs


def use_prop(
    document: Document, assets: AssetStore, path: Path, root: str = "", at: tuple[float, float, float] | None = None, tied: bool = False
) -> tuple[Document, list[str]]:
    """A document with a prop as part of it, at its size on the floor where it stood at home, or with the middle of its foot at a place; and the ids
    of its roots. Materials and colours that are there from before are the same ones. Raises BadFile; the document is as it was."""
    found, theirs = load(path, root)
    return taken_in(document, assets, found, theirs, path, at, tied)


def taken_in(
    document: Document, assets: AssetStore, found: Document, theirs: AssetStore, path: Path, at: tuple[float, float, float] | None = None,
    tied: bool = False,
) -> tuple[Document, list[str]]:  # fmt: skip
    """The same of a prop that has been read."""
    box = arrange.bounds(found, theirs, found.roots)
    assert box is not None
    foot = np.array([*(0.5 * (box[0] + box[1]))[:2], box[0][2]])
    target = np.array(at, float) if at is not None else np.array([foot[0], foot[1], document.floor.height])
    found = _moved(found, target - foot)
    assets.take_from(theirs, project_file.used_assets(found))
    found = _fresh(document, found)
    names = edits.Names(p.name for p in document.parts.values())
    parts = {i: replace(p, name=names.free(p.name)) if i in found.roots else p for i, p in found.parts.items()}
    lamp_names, decal_names = edits.Names(x.name for x in document.lamps.values()), edits.Names(d.name for d in document.decals.values())
    material_names = edits.Names(m.name for m in document.materials.values())
    stamp = project_file.stamp_of(Path(path))
    prop = Prop(edits.new_id(), found.name, str(Path(path).resolve()), stamp, found.roots, tied)
    made = replace(
        document, parts={**document.parts, **parts}, roots=document.roots + found.roots,
        selections={**document.selections, **found.selections}, paths={**document.paths, **found.paths},
        materials={
            **document.materials,
            **{i: replace(m, name=material_names.free(m.name)) for i, m in found.materials.items() if i not in document.materials},
        },
        colours={**document.colours, **found.colours},
        decals={**document.decals, **{i: replace(d, name=decal_names.free(d.name)) for i, d in found.decals.items()}},
        lamps={**document.lamps, **{i: replace(x, name=lamp_names.free(x.name)) for i, x in found.lamps.items()}},
        keys={**document.keys, **found.keys}, motions={**document.motions, **found.motions}, props={**document.props, prop.id: prop},
    )  # fmt: skip
    return made, list(found.roots)


_BY_ID = ("parts", "materials", "decals", "lamps", "paths", "motions", "selections", "colours")


def _fresh(document: Document, found: Document) -> Document:
    """What is taken in under ids that the document does not have; its materials and colours that are there already under the ids of those."""
    ids = {kind: {i: edits.new_id() for i in getattr(found, kind)} for kind in _BY_ID}
    for i, colour in found.colours.items():
        same = next((c for c in document.colours.values() if c.name == colour.name and c.rgb == colour.rgb), None)
        ids["colours"][i] = same.id if same is not None else ids["colours"][i]
    for i, material in found.materials.items():
        same_material = next((m for m in document.materials.values() if not m.follows and not material.follows and alike(m, material)), None)
        ids["materials"][i] = same_material.id if same_material is not None else ids["materials"][i]
    for kind in ("parts", "materials", "decals", "paths", "colours"):
        found = renamed(found, kind, ids[kind])

    def there(address: str) -> str:
        steps = address.split("/")
        if len(steps) > 1 and steps[0] in ids:
            steps[1] = ids[steps[0]].get(steps[1], steps[1])
        return "/".join(steps)

    held = {kind: {ids[kind][i]: replace(one, id=ids[kind][i]) for i, one in getattr(found, kind).items()} for kind in _BY_ID}
    held["motions"] = {i: replace(m, wears=tuple(there(a) for a in m.wears)) for i, m in held["motions"].items()}
    keys = {there(address): keys for address, keys in found.keys.items()}
    return replace(found, **held, keys=keys, roots=tuple(ids["parts"][i] for i in found.roots))


# tied ones


def changed_props(document: Document) -> list[Changed]:
    """The tied props whose files hold something else now, or are gone."""
    found = []
    for prop in document.props.values():
        if prop.tied:
            stamp = project_file.stamp_of(Path(prop.path))
            if stamp != prop.stamp:
                found.append(Changed(prop.id, prop.name, not stamp))
    return found


def tie(document: Document, prop_id: str, tied: bool) -> Document:
    """The document with a prop tied to its file, or on its own."""
    return replace(document, props={**document.props, prop_id: replace(document.props[prop_id], tied=tied)})


def passed_over(document: Document, prop_id: str) -> Document:
    """The document that knows of what a prop's file holds now and does not take it: nothing is told until it changes again."""
    prop = document.props[prop_id]
    return replace(document, props={**document.props, prop_id: replace(prop, stamp=project_file.stamp_of(Path(prop.path)))})


def updated(document: Document, assets: AssetStore, prop_id: str) -> Document:
    """The document with a prop as its file has it now, where it stands, under its names, in its place in the tree. Raises BadFile."""
    prop = document.props[prop_id]
    old = [document.parts[i] for i in prop.roots]
    made, fresh = use_prop(document, assets, Path(prop.path), tied=prop.tied)
    new_prop = next(p for p in made.props.values() if p.roots == tuple(fresh))
    home = [made.parts[i] for i in fresh]
    for was, now in zip(old, home):
        made = edits.change_part(made, now.id, name=was.name, visible=was.visible, locked=False)
        made = tree.move_into(made, [now.id], was.parent, before=was.id)
        made = edits.change_part(made, now.id, placement=was.placement, locked=was.locked)
    if len(old) == 1 and len(home) > 1:  # more of them than before: they stand about the first as they do at home
        carried = world_matrix(document, old[0].id) @ np.linalg.inv(
            world_matrix(replace(made, parts={**made.parts, home[0].id: home[0]}), home[0].id)
        )
        made = edits.place_parts(made, {p.id: from_matrix(carried @ world_matrix(made, p.id)) for p in home[1:]})
    made = edits.delete_parts(edits.change_parts(made, prop.roots, locked=False), prop.roots)
    made = replace(made, props={**{i: p for i, p in made.props.items() if i not in (prop_id, new_prop.id)}, prop_id: replace(new_prop, id=prop_id)})
    return edits.drop_unused_materials(made)
