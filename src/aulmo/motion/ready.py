"""Ready motions: made for a thing, shared by several, turned into keys, told in words."""

import math
from typing import Any, Iterable

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.made import paths
from aulmo.document.meshes import corners_of
from aulmo.document.moving.between import unwound
from aulmo.document.moving.fewest import fewest
from aulmo.document.moving.movers import mover_of
from aulmo.document.properties import about, accepted, get, resolve
from aulmo.document.property_table import MOTION_KINDS
from aulmo.document.quantity import show
from aulmo.document.records import Document, Motion
from aulmo.errors import BadValue
from aulmo.motion.keys import add_key

AXES = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}
_NAMES = {"distance": "distance_mm", "radius": "radius_mm", "lens": "lens_mm", "amount": "amount_mm"}
# what each kind begins with where it is another than a motion's own
BEGINS: dict[str, dict[str, Any]] = {
    "slide": {"axis": AXES["x"], "axis_of": "world"}, "lift": {"axis_of": "world"}, "swing": {"degrees": 20.0, "axis": AXES["y"]},
    "turntable": {"axis_of": "world", "before": "even", "after": "even", "length": 8.0},
    "orbit": {"axis_of": "world"}, "follow": {"from_": 0.0, "to": 1.0, "axis": AXES["x"]},
    "roll": {"axis": AXES["y"]}, "steer": {"degrees": 40.0, "axis": AXES["z"]}, "ride": {"axis": AXES["x"]},
    "glow": {"from_": 0.0, "to": 2.0}, "fade": {"from_": 1.0, "to": 0.0}, "shake": {"swings": 2.0}, "dolly": {"distance_mm": 100.0},
}  # fmt: skip
LIGHT_WORDS = {"set": " · light stays with the set", "camera": " · light goes with the camera", "product": " · light goes with the product"}
OF_PARTS = ("spin", "slide", "lift", "swing", "turntable", "fade", "glow", "follow", "roll", "steer", "ride", "shake")
OF_CAMERAS = ("orbit", "turntable", "dolly", "zoom", "fly", "slide", "lift", "follow", "shake")
OF_LAMPS = ("orbit", "spin", "slide", "lift", "swing", "glow", "fade", "follow", "shake")
OF_BOXES = ("orbit", "glow", "fade")
OF_DOME = ("spin", "glow")
KINDS_OF = {"parts": OF_PARTS, "cameras": OF_CAMERAS, "lamps": OF_LAMPS, "softboxes": OF_BOXES, "environment": OF_DOME}


def address_of(document: Document, target: str) -> str:
    """The address of a thing by its id or address: "parts/<id>", "cameras/<id>", "lamps/<id>", "softboxes/<id>", "environment". Raises BadValue."""
    kind, _, name = target.partition("/")
    if target == "environment":
        return target
    boxes = {b.id for b in document.environment.softboxes}
    found = {"parts": document.parts, "cameras": document.cameras, "lamps": document.lamps, "softboxes": boxes}
    if name:
        if kind in found and name in found[kind]:  # type: ignore[operator]
            return target
    else:
        for kind, held in found.items():
            if target in held:  # type: ignore[operator]
                return f"{kind}/{target}"
    raise BadValue(f"There is nothing called {target} that could move.")


def new_motion(document: Document, target: str, kind: str, start: float = 0.0, length: float | None = None, **numbers: Any) -> Motion:
    """A motion for a thing; `numbers` are any of its fields, `axis` also "x", "y", "z", `ease` "even" or "eased". Raises BadValue with a sentence."""
    address = address_of(document, target)
    if kind not in MOTION_KINDS:
        raise BadValue(f"There is no motion called {kind}; there are {', '.join(MOTION_KINDS)}.")
    if kind not in KINDS_OF[address.split("/")[0]]:
        allowed = ", ".join(KINDS_OF[address.split("/")[0]])
        raise BadValue(f"{MOTION_KINDS[kind]} is not for that; it can have {allowed}.")
    fields: dict[str, Any] = {**BEGINS.get(kind, {}), **({} if length is None else {"length": length})}
    if length is None and kind in ("roll", "steer", "ride"):
        start, fields["length"] = document.film.start, max(0.1, document.film.end - document.film.start)
    for name, value in numbers.items():
        name = _NAMES.get(name, name)
        if name == "ease":
            if value not in ("even", "eased"):
                raise BadValue("A motion can be even or eased.")
            fields["before"] = fields["after"] = value
        elif name == "axis" and isinstance(value, str):
            if value not in AXES:
                raise BadValue("An axis is x, y, z or three numbers.")
            fields["axis"] = AXES[value]
        else:
            if name not in Motion.__struct_fields__ or name in ("id", "kind", "wears"):
                raise BadValue(f"A motion has no {name}.")
            fields[name] = tuple(float(v) for v in value) if name in ("axis", "centre", "offset") and value is not None else value
    fields["start"] = start
    for name, value in fields.items():
        if name in ("cameras", "pace"):
            fields[name] = tuple(value)
        elif not (name == "centre" and value is None):
            fields[name] = accepted(about(f"motions/x/{name}"), value)
    if kind == "roll" and not fields.get("radius_mm"):
        raise BadValue("A wheel that rolls needs a radius above 0 mm.")
    if kind == "follow" and fields.get("path") is None and fields.get("leader") is None:
        raise BadValue("Say which path it follows.")
    for name in ("path", "leader", "ground"):
        held = document.paths if name == "path" else document.parts
        if fields.get(name) is not None and fields[name] not in held:
            raise BadValue(f"The {'path' if name == 'path' else 'part'} that it should {'roll on' if name == 'ground' else 'follow'} is not there.")
    if kind == "fly" and len([i for i in fields.get("cameras", ()) if i in document.cameras]) < 2:
        raise BadValue("A flight needs at least two saved cameras.")
    return Motion(edits.new_id(), kind=kind, wears=(address,), **fields)  # type: ignore[arg-type]


def put_motion(document: Document, motion: Motion) -> Document:
    """The document with a motion, new or in the place of its old self. Raises BadValue for a follow in a circle."""
    made = replace(document, motions={**document.motions, motion.id: motion})
    if motion.leader is not None:
        _check_circle(made, motion)
    return made


def _check_circle(document: Document, motion: Motion) -> None:
    """Raise BadValue when a thing would follow itself, over however many others or the levels of the assembly."""
    for address in motion.wears:
        start = address.partition("/")[2]
        seen: set[str] = set()
        waiting = [motion.leader]
        while waiting:
            part_id = waiting.pop()
            while part_id is not None and part_id in document.parts and part_id not in seen:
                if part_id == start:
                    raise BadValue(f"{document.parts[start].name} would follow itself.")
                seen.add(part_id)
                waiting += [m.leader for m in document.motions.values() if f"parts/{part_id}" in m.wears and m.leader is not None]
                part_id = document.parts[part_id].parent


def delete_motion(document: Document, motion_id: str) -> Document:
    """The document without a motion."""
    return replace(document, motions={i: m for i, m in document.motions.items() if i != motion_id})


def wear(document: Document, motion_id: str, targets: Iterable[str], on: bool = True) -> Document:
    """Let several things have one motion, or take it off them; one that nobody wears goes."""
    motion = document.motions[motion_id]
    addresses = [address_of(document, t) for t in targets]
    kept = [a for a in motion.wears if a not in addresses]
    worn = tuple(dict.fromkeys((*motion.wears, *addresses))) if on else tuple(kept)
    return put_motion(document, replace(motion, wears=worn)) if worn else delete_motion(document, motion_id)


def make_own(document: Document, motion_id: str, target: str) -> tuple[Document, str]:
    """Give one of those that share a motion one of its own, alike. Returns the document and the new one's id."""
    address = address_of(document, target)
    own = replace(document.motions[motion_id], id=edits.new_id(), wears=(address,))
    return put_motion(wear(document, motion_id, [address], on=False), own), own.id


def reorder(document: Document, motion_id: str, by: int) -> Document:
    """A motion acting sooner (-1) or later (1) than its neighbour."""
    order = list(document.motions)
    at = order.index(motion_id)
    to = min(max(at + by, 0), len(order) - 1)
    order.insert(to, order.pop(at))
    return replace(document, motions={i: document.motions[i] for i in order})


def middle_of(document: Document, assets: AssetStore, part_id: str) -> tuple[float, float, float]:
    """The middle of a part's box in its own axes: what it turns about where it has no pivot."""
    held = document.parts[part_id]
    if held.pivot is not None:
        return held.pivot
    box = assets.box(held.mesh) if held.mesh is not None else _box_below(document, assets, part_id)
    if box is None:
        return (0.0, 0.0, 0.0)
    x, y, z = (0.5 * (box[0] + box[1])).tolist()
    return x, y, z


def _box_below(document: Document, assets: AssetStore, part_id: str) -> tuple[np.ndarray, np.ndarray] | None:
    """Low and high corner, in a part's own axes, of all shapes in it as they are at rest; None where it has none."""
    mover = mover_of(document)
    back = np.linalg.inv(mover.rest(part_id))
    ends = []
    for i in edits.leaves(document, [part_id]):
        matrix = back @ mover.rest(i)
        ends.append(corners_of(*assets.box(document.parts[i].mesh or "")) @ matrix[:3, :3].T + matrix[:3, 3])
    if not ends:
        return None
    points = np.concatenate(ends)
    return points.min(0), points.max(0)


def wheel_of(document: Document, assets: AssetStore, part_id: str) -> tuple[tuple[float, float, float], tuple[float, float, float], float]:
    """A wheel's axle in the part's own axes (the axis along which its box is unlike the two others), its hub, and its radius in mm of the world."""
    box = _box_below(document, assets, part_id)
    if box is None:
        raise BadValue("A wheel that rolls needs a part with a shape.")
    low, high = box
    size = high - low
    unlike = [abs(size[(k + 1) % 3] - size[(k + 2) % 3]) for k in range(3)]
    k = int(np.argmin(unlike))
    scale = float(np.linalg.norm(mover_of(document).rest(part_id)[:3, (k + 1) % 3]))
    radius = 0.25 * float(size[(k + 1) % 3] + size[(k + 2) % 3]) * scale
    if radius <= 1e-6:
        raise BadValue(f"{document.parts[part_id].name} has no radius to roll on.")
    hub = 0.5 * (low + high)
    x, y, z = hub.tolist()
    return AXES["xyz"[k]], (x, y, z), radius


def to_keys(document: Document, motion_id: str) -> Document:
    """The document where keys do what a motion did to parts and cameras, frame by frame where it bends, and the motion is gone. Raises BadValue."""
    motion = document.motions[motion_id]
    rate = document.frames_per_second
    steps = max(1, min(2000, math.ceil(motion.length * rate)))
    times = [round(motion.start + motion.length * k / steps, 9) for k in range(steps + 1)]
    alone = replace(document, motions={motion_id: motion})
    bare = delete_motion(document, motion_id)
    fields = {"parts": ("placement/position", "placement/turn", "opacity", "glow"), "cameras": ("position", "target", "focal_length_mm", "roll"),
              "lamps": ("position", "turn", "stops"), "softboxes": ("azimuth", "stops", "opacity"), "environment": ("turn", "exposure")}  # fmt: skip
    for address in motion.wears:
        kind = address.split("/")[0]
        stored = f"environment/{address}" if kind == "softboxes" else address
        seen: dict[str, list[Any]] = {}
        for time in times:
            moment = resolve(alone, {}, time)
            for field in fields[kind]:
                seen.setdefault(f"{stored}/{field}", []).append(get(moment, f"{stored}/{field}"))
        for where, values in seen.items():
            if where.endswith("/turn") and isinstance(values[0], tuple):
                values = unwound(values)
            if all(_alike(v, values[0]) for v in values):
                continue
            bare = replace(bare, keys={a: k for a, k in bare.keys.items() if a != where})
            for k in _needed(times, values):
                bare = add_key(bare, where, times[k], values[k], "even", by_numbers=where.endswith("turn"))
    return bare


def _alike(one: Any, other: Any) -> bool:
    return bool(np.allclose(one, other, atol=1e-9))


def _needed(times: list[float], values: list[Any]) -> list[int]:
    """The fewest samples between which even ways come near enough to all."""
    points = np.array([v if isinstance(v, tuple) else (v,) for v in values], float)
    return fewest(np.array(times), points, 2e-4 * float(np.ptp(points, axis=0).max() + 1e-12))


# words


def _axis_words(motion: Motion) -> str:
    name = next((n for n, a in AXES.items() if np.allclose(np.abs(motion.axis), a)), "")
    own = "its own" if motion.axis_of == "own" else "the world's"
    return f"{own} {name}" if name else "a picked axis"


def words(document: Document, motion: Motion) -> str:
    """What a motion does, in words, for its bar."""
    degrees = show(motion.degrees, "°", 0) if abs(motion.degrees) < 720 or motion.degrees % 360 else f"{motion.degrees / 360:g} turns"
    distance = show(motion.distance_mm, "mm", 0)
    many = f" · {motion.repeats:g} times" if motion.repeats != 1 else ""
    back = " and back" if motion.back else ""
    path = document.paths.get(motion.path or "")
    leader = document.parts.get(motion.leader or "")
    follows = f"Follows {path.name if path else leader.name if leader else 'a path that is gone'}"
    far = show(abs(motion.distance_mm), "mm", 0)
    onward = motion.distance_mm >= 0
    told = {
        "spin": f"Turns {degrees} about {_axis_words(motion)}", "turntable": f"Turns {degrees}", "orbit": f"Goes round {degrees}",
        "slide": f"Slides {distance} along {_axis_words(motion)}", "lift": f"{'Lifts' if onward else 'Sinks'} {far}",
        "swing": f"Swings {degrees} each way", "fade": f"Fades {100 * motion.from_:.0f} to {100 * motion.to:.0f} %",
        "glow": f"Glows {motion.from_:+g} to {motion.to:+g} stops", "dolly": f"{'Nears' if onward else 'Withdraws'} {far}",
        "zoom": f"Zooms to {motion.lens_mm:g} mm, size kept", "fly": f"Flies through {len(motion.cameras)} views", "follow": follows,
        "roll": f"Rolls on {motion.radius_mm:g} mm", "steer": "Steers where it runs", "ride": "Rides on its springs", "shake": "Shakes",
    }[motion.kind]  # fmt: skip
    light = LIGHT_WORDS[motion.carries] if motion.kind in ("turntable", "orbit") else ""
    return f"{told}{back}{many}{light}"


def troubles(document: Document) -> dict[str, str]:
    """By motion, a sentence for each that cannot do what it says."""
    found: dict[str, str] = {}
    for motion in document.motions.values():
        names = [document.parts[a[6:]].name for a in motion.wears if a.startswith("parts/") and a[6:] in document.parts]
        who = names[0] if names else "It"
        if motion.kind == "follow" and motion.leader is None and motion.path not in document.paths:
            found[motion.id] = f"The path that {who} followed is gone; choose another."
        elif motion.kind == "follow" and motion.leader is not None and motion.leader not in document.parts:
            found[motion.id] = f"The part that {who} followed is gone; choose another."
        elif motion.kind == "roll" and motion.radius_mm <= 0:
            found[motion.id] = f"{who} has no radius to roll on."
        elif motion.kind == "fly" and len([i for i in motion.cameras if i in document.cameras]) < 2:
            found[motion.id] = "A flight needs at least two saved cameras."
        elif motion.leader is not None:
            try:
                _check_circle(document, motion)
            except BadValue as error:
                found[motion.id] = str(error)
        elif motion.kind == "follow":
            try:
                paths.check(document.paths[motion.path or ""])
            except BadValue as error:
                found[motion.id] = str(error)
    return found
