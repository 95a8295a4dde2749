"""One moment of a document: what keys gave it, and on top of that its motions, in the places that resolving puts them."""

import math
from typing import Any

import numpy as np
from msgspec.structs import replace

from aulmo.document.film_records import Motion
from aulmo.document.moving import cameras
from aulmo.document.moving.going import ROUND, SHINES, degrees_at, going, reached
from aulmo.document.moving.mover import Mover, about, shake_about, shifted, unit
from aulmo.document.moving.movers import mover_of
from aulmo.document.placement import angles_of, nearest_turn, turn_matrix, world_matrices
from aulmo.document.records import Camera, Document, Lamp, Material, Moved, Softbox

DARK = -40.0  # stops of what has faded


_last: dict[str, Any] = {}  # what was made last of each kind


def _settled(kind: str, value: Any) -> Any:
    """A value, or the one made before where that is equal: what reads it knows by the very object that nothing has changed."""
    held = _last.get(kind)
    if held is not None and held == value:
        return held
    _last[kind] = value
    return value


def moved(base: Document, keyed: Document, time: float) -> Document:
    """The document at a time: `base` as it is stored, `keyed` with overrides and keys in place."""
    at_rest = base.parts if base.parts is not keyed.parts or base.motions else {}
    document = replace(keyed, moved=Moved(at_rest=at_rest))
    on = [m for m in base.motions.values() if m.on]
    if on:
        mover = mover_of(base)
        parts = _parts(mover, keyed, {a[6:] for a in mover.worn if a.startswith("parts/")}, time)
        document = replace(document, parts=parts, motions={})
        document = _lights(mover, document, time)
        for address in sorted(a for a in mover.worn if a.startswith("cameras/") and a[8:] in keyed.cameras):
            camera = cameras.moved(mover, document.cameras[address[8:]], mover.worn[address], time)
            document = replace(document, cameras={**document.cameras, camera.id: camera})
        document = _carried(mover, document, on, time)
    return _tied(document)


def _parts(mover: Mover, document: Document, worn: set[str], time: float) -> dict:
    changed = {}
    for part_id in worn:
        part = document.parts.get(part_id)
        if part is None:
            continue
        fields: dict[str, Any] = {}
        for motion in mover.worn.get(f"parts/{part_id}", ()):
            done = going(motion, time)
            if done is None:
                continue
            value = reached(motion, done)
            if motion.kind == "fade":
                fields["opacity"] = fields.get("opacity", part.opacity) * min(1.0, max(0.0, value))
            elif motion.kind == "glow":
                fields["glow"] = fields.get("glow", part.glow) + value
        if mover.moves(part_id):
            fields["placement"] = mover.placement(part_id, time)
        if fields:
            changed[part_id] = replace(part, **fields)
    return {**document.parts, **changed} if changed else document.parts


def _lights(mover: Mover, document: Document, time: float) -> Document:
    """Motions worn by lamps, softboxes and the dome."""
    lamps = dict(document.lamps)
    boxes = list(document.environment.softboxes)
    environment = document.environment
    for address, motions in mover.worn.items():
        kind, _, name = address.partition("/")
        for motion in motions:
            done = going(motion, time)
            if done is None:
                continue
            value = reached(motion, done)
            if kind == "lamps" and name in lamps:
                lamps[name] = lamp_moved(lamps[name], motion, done, value, time, mover)
            elif kind == "softboxes" and motion.kind in (*SHINES, *ROUND):
                for k, box in enumerate(boxes):
                    if box.id == name:
                        boxes[k] = _box_moved(box, motion, done, value)
            elif kind == "environment":
                if motion.kind == "glow":
                    environment = replace(environment, exposure=environment.exposure + value)
                elif motion.kind in ROUND:
                    environment = replace(environment, turn=environment.turn + degrees_at(motion, done))
    environment = replace(environment, softboxes=tuple(boxes))
    if environment == document.environment and lamps == document.lamps:
        return document
    return replace(document, environment=_settled("environment", environment), lamps=_settled("lamps", lamps))


def _box_moved(box: Softbox, motion: Motion, done: float, value: float) -> Softbox:
    if motion.kind == "glow":
        return replace(box, stops=box.stops + value)
    if motion.kind == "fade":
        return replace(box, opacity=box.opacity * value)
    return replace(box, azimuth=box.azimuth + degrees_at(motion, done))


def lamp_moved(lamp: Lamp, motion: Motion, done: float, value: float, time: float, mover: Mover) -> Lamp:
    """A lamp with one motion."""
    if motion.kind == "glow":
        return replace(lamp, stops=lamp.stops + value)
    if motion.kind == "fade":
        return replace(lamp, stops=lamp.stops + (math.log2(value) if value > 1e-9 else DARK))
    turn = turn_matrix(lamp.turn)
    place = np.array(lamp.position)
    axis = unit(motion.axis) if motion.axis_of == "world" else turn @ unit(motion.axis)
    middle = np.array(motion.centre) if motion.centre is not None else place
    if motion.kind in (*ROUND, "swing"):
        matrix = about(axis, degrees_at(motion, done), middle)
    elif motion.kind in ("slide", "lift"):
        matrix = shifted(axis * done * motion.distance_mm)
    elif motion.kind == "shake":
        matrix = shake_about(motion, time, place)
    elif motion.kind == "follow" and motion.path in mover.document.paths:
        on = mover.on_path(motion, done)
        matrix = shifted(on[:3, 3] - place)
    elif motion.kind == "follow" and motion.leader in mover.document.parts:
        matrix = mover.world(motion.leader, time) @ np.linalg.inv(mover.rest(motion.leader))
    else:
        return lamp
    x, y, z = (matrix[:3, :3] @ place + matrix[:3, 3]).tolist()
    a, b, c = angles_of((nearest_turn(matrix[:3, :3]) @ turn)[None])[0].tolist()
    return replace(lamp, position=(x, y, z), turn=(a, b, c))


def _carried(mover: Mover, document: Document, motions: list[Motion], time: float) -> Document:
    """By which turn the light of the scene is carried along: that of a turntable or an orbit which says so."""
    whole = np.eye(4)
    for motion in motions:
        if motion.kind not in ROUND or motion.carries == "set":
            continue
        done = going(motion, time)
        for address in motion.wears:
            kind, _, name = address.partition("/")
            if done is None or {"parts": "product", "cameras": "camera"}.get(kind) != motion.carries:
                continue
            if kind == "parts" and name in document.parts:
                axis, point = mover.axis_at_rest(motion, name)
            elif kind == "cameras" and name in document.cameras:
                axis, point = unit(motion.axis), np.array(motion.centre or document.cameras[name].target, float)
            else:
                continue
            whole = about(axis, done * motion.degrees, point) @ whole
            break  # the light is carried once, however many wear it
    if np.allclose(whole, np.eye(4), atol=1e-12):
        return document
    return replace(document, moved=replace(document.moved, carried=tuple(whole.ravel().tolist())))


def looking(camera: Camera, matrix: np.ndarray) -> Camera:
    """A camera that looks at a part, which stands at a world matrix (4, 4)."""
    x, y, z = (matrix[:3, :3] @ np.array(camera.look_point) + matrix[:3, 3]).tolist()
    return replace(camera, target=(x, y, z))


def _tied(document: Document) -> Document:
    """Cameras that look at a part, or are sharp on one, wherever it is now."""
    tied = [c for c in document.cameras.values() if c.looks_at in document.parts or c.focus_on in document.parts]
    if not tied:
        return document
    worlds = world_matrices(document)
    changed = {}
    for camera in tied:
        if camera.looks_at in document.parts:
            camera = looking(camera, worlds[camera.looks_at])
        if camera.focus_on in document.parts:
            matrix = worlds[camera.focus_on]
            point = matrix[:3, :3] @ np.array(camera.focus_point) + matrix[:3, 3]
            forward = unit(np.array(camera.target) - np.array(camera.position))
            camera = replace(camera, focus=max(1e-3, float((point - np.array(camera.position)) @ forward)))
        changed[camera.id] = camera
    return replace(document, cameras={**document.cameras, **changed})


# fades and glows: materials of their own for parts that are not as the rest


def with_fades(document: Document) -> Document:
    """The document in which parts that fade or glow more wear materials of their own that do; the same object when none does."""
    parts = document.parts
    if not any(p.opacity != 1.0 or p.glow != 0.0 for p in parts.values()):
        return document
    found: dict[str, tuple[float, float]] = {}
    stack = [(i, 1.0, 0.0) for i in document.roots]
    while stack:
        part_id, opacity, glow = stack.pop()
        part = parts[part_id]
        opacity, glow = opacity * part.opacity, glow + part.glow
        if (opacity != 1.0 or glow != 0.0) and part.mesh is not None:
            found[part_id] = (opacity, glow)
        stack += [(child, opacity, glow) for child in part.children]
    materials, changed = dict(document.materials), {}

    def own(material_id: str | None, opacity: float, glow: float) -> str | None:
        held = document.materials.get(material_id or "")
        if held is None:
            return material_id
        if opacity == 1.0 and held.surface.emission_luminance == 0 and "emission_color" not in held.wires:
            return material_id
        name = f"{held.id}:{opacity:.9g}:{glow:.9g}"
        if name not in materials:
            materials[name] = _faded(held, name, opacity, glow)
        return name

    for part_id, (opacity, glow) in found.items():
        part = parts[part_id]
        sets = tuple(replace(s, material=own(s.material, opacity, glow)) for s in part.face_sets)
        gone = opacity <= 0.0
        changed[part_id] = replace(part, material=own(part.material, opacity, glow), face_sets=sets, visible=part.visible and not gone)
    decals = document.decals
    faded = {i: replace(d, opacity=d.opacity * min(found[p][0] for p in d.parts)) for i, d in decals.items()
             if d.parts and all(p in found for p in d.parts)}  # fmt: skip
    return replace(document, parts={**parts, **changed}, materials=_settled("materials", materials), decals={**decals, **faded} if faded else decals)


def _faded(material: Material, name: str, opacity: float, glow: float) -> Material:
    known = _faded_before.get(name)
    if known is not None and known[0] is material:
        return known[1]
    surface = replace(
        material.surface, geometry_opacity=material.surface.geometry_opacity * opacity,
        emission_luminance=material.surface.emission_luminance * 2.0**glow,
    )  # fmt: skip
    made = replace(material, id=name, surface=surface)
    if len(_faded_before) > 500:
        _faded_before.clear()
    _faded_before[name] = (material, made)
    return made


_faded_before: dict[str, tuple[Material, Material]] = {}  # by the new name, of which material it was made
