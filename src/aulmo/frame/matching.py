"""A shot's photograph made its own: the frame takes its shape, its lines give the camera, its marks the place and the light.

Everything here turns a document into another; what cannot be is one sentence, and the document stays as it was.
"""

import math
from typing import Any

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.lens import width_at
from aulmo.document.records import Camera, Document, Photograph, Shot, SightLine
from aulmo.errors import BadValue
from aulmo.frame import sight_lines
from aulmo.frame.camera import camera_axes, project
from aulmo.frame.photograph import fresh_frame
from aulmo.frame.shadow_stick import on_plane
from aulmo.frame.sight_lines import Found, Known, Line

DIRECTIONS = {1: "first direction", 2: "second direction", 3: "upright"}


def photograph_of(document: Document, shot_id: str) -> tuple[Shot, Photograph]:
    """A shot and its photograph. Raises BadValue without one."""
    shot = next((s for s in document.shots if s.id == shot_id), None)
    if shot is None or shot.photograph is None:
        raise BadValue("This shot has no photograph yet; drop one on the picture.")
    return shot, shot.photograph


def put_photograph(document: Document, shot_id: str, photo: Photograph) -> Document:
    """The document with another photograph behind a shot, or with the same one marked otherwise."""
    shot = next(s for s in document.shots if s.id == shot_id)
    return edits.put_shot(document, replace(shot, photograph=photo))


def taken_in(document: Document, shot_id: str, photo: Photograph) -> Document:
    """A photograph put behind a shot: the frame takes its shape, the shot a camera of its own, the floor only the shadow; its lens where the file
    tells it."""
    shot = next(s for s in document.shots if s.id == shot_id)
    old = document.cameras[shot.camera]
    camera = old
    if any(s.camera == old.id and s.id != shot.id for s in document.shots):
        name = edits.free_name(old.name, (c.name for c in document.cameras.values()))
        camera = replace(old, id=edits.new_id(), name=name, locked=False)
    width, height = fresh_frame(photo, shot.width * shot.height)
    own = with_floor(document, shot, "shadow")
    document = edits.put_camera(document, replace(camera, projection="perspective"))
    return edits.put_shot(document, replace(shot, photograph=photo, camera=camera.id, width=width, height=height, overrides=own))


def with_floor(document: Document, shot: Shot, kind: str) -> dict[str, Any]:
    """A shot's own values with its floor of a kind: told only where the project's floor is of another one."""
    own = {a: v for a, v in shot.overrides.items() if a != "floor/kind"}
    return own if document.floor.kind == kind else own | {"floor/kind": kind}


def left_out(document: Document, shot_id: str) -> Document:
    """The shot without its photograph; camera and frame stay."""
    shot = next(s for s in document.shots if s.id == shot_id)
    own = {a: v for a, v in shot.overrides.items() if (a, v) != ("floor/kind", "shadow")}
    return edits.put_shot(document, replace(shot, photograph=None, overrides=own))


def with_lens_of_file(document: Document, shot_id: str) -> Document:
    """The shot's camera with the lens that the photograph's file tells. Raises BadValue where it tells none."""
    shot, photo = photograph_of(document, shot_id)
    if not photo.focal_mm:
        raise BadValue("The file does not tell its lens.")
    camera = document.cameras[shot.camera]
    made = replace(camera, focal_length_mm=photo.focal_mm, sensor_mm=photo.sensor_mm or camera.sensor_mm)
    return edits.put_camera(document, made)


def lines_of(photo: Photograph) -> list[Line]:
    """The photograph's lines as the solver takes them."""
    return [Line(line.direction, np.array(line.points, float)) for line in photo.lines]


def size_of(photo: Photograph) -> tuple[int, int]:
    """Width and height in pixels."""
    return photo.width, photo.height


def enough(photo: Photograph) -> bool:
    """Whether the lines can tell a camera."""
    counts = [sum(line.direction == k for line in photo.lines) for k in (1, 2, 3)]
    return max(counts) >= 2 and sum(c > 0 for c in counts) >= 2 and len(photo.lines) >= 3


def found_camera(document: Document, shot_id: str) -> Found:
    """The camera that the photograph's lines tell. Raises BadValue with one sentence."""
    shot, photo = photograph_of(document, shot_id)
    camera = document.cameras[shot.camera]
    number = next((k for k, line in enumerate(photo.lines) if line.id == photo.known), None)
    known = Known(
        number if photo.known_mm > 0 else None, photo.known_mm, photo.origin or _on_the_top(photo),
        photo.surface_mm if photo.known_below else 0.0, photo.focal_mm, photo.sensor_mm, photo.bend,
    )  # fmt: skip
    return sight_lines.find_camera(size_of(photo), lines_of(photo), known, camera)


def _on_the_top(photo: Photograph) -> tuple[float, float] | None:
    """The middle between the two lines of the top that the product stands on, where they are chosen."""
    chosen = [np.array(line.points, float) for line in photo.lines if line.id in photo.surface]
    if len(chosen) != 2:
        return None
    middle = np.mean([p[[0, -1]].mean(0) for p in chosen], 0)
    return float(middle[0]), float(middle[1])


def placed(document: Document, shot_id: str, found: Found) -> Document:
    """The document with the shot's camera where lines told it, locked. The frame's own height counts for its shift; a bend is given to the render, or
    taken out of the photograph, as chosen."""
    shot, photo = photograph_of(document, shot_id)
    camera = found.camera
    scale = (photo.height / photo.width) / (shot.height / shot.width)
    old = document.cameras[shot.camera]
    made = replace(
        camera, id=old.id, name=old.name, shift_y=camera.shift_y * scale, bend=0.0 if photo.straight else camera.bend, locked=True,
        focus=_focus(old, camera),
    )  # fmt: skip
    document = edits.put_camera(document, made)
    return put_photograph(document, shot_id, replace(photo, bend=camera.bend))


def _focus(old: Camera, new: Camera) -> float:
    return float(np.linalg.norm(np.array(new.position))) if old.focus else 0.0


def solved(document: Document, shot_id: str) -> Document:
    """The camera found and placed where there are lines enough; the document as it is where not. Raises BadValue with one sentence."""
    _, photo = photograph_of(document, shot_id)
    return placed(document, shot_id, found_camera(document, shot_id)) if enough(photo) else document


def put_line(document: Document, shot_id: str, line: SightLine) -> Document:
    """A line drawn, or moved. Raises BadValue for one that runs from a point to itself."""
    _, photo = photograph_of(document, shot_id)
    if math.dist(line.points[0], line.points[-1]) < 1.0:
        raise BadValue("That line runs from a point to itself; drag along an edge.")
    there = any(one.id == line.id for one in photo.lines)
    lines = tuple(line if one.id == line.id else one for one in photo.lines) if there else (*photo.lines, line)
    return put_photograph(document, shot_id, replace(photo, lines=lines))


def without_line(document: Document, shot_id: str, line_id: str) -> Document:
    """A line taken away, and what was known of it."""
    _, photo = photograph_of(document, shot_id)
    lines = tuple(one for one in photo.lines if one.id != line_id)
    surface = tuple(i for i in photo.surface if i != line_id)
    known, mm = ("", 0.0) if photo.known == line_id else (photo.known, photo.known_mm)
    return put_photograph(document, shot_id, replace(photo, lines=lines, surface=surface, known=known, known_mm=mm))


def new_line(photo: Photograph, direction: int, points: tuple[Any, ...]) -> SightLine:
    """A fresh line with a name of its own."""
    word = {1: "First", 2: "Second", 3: "Upright"}[direction]
    names = {line.name for line in photo.lines}
    number = next(k for k in range(1, len(names) + 2) if f"{word} {k}" not in names)
    return SightLine(edits.new_id(), f"{word} {number}", direction, points)  # type: ignore[arg-type]


def reframed(document: Document, shot_id: str, width: int, height: int) -> Document:
    """A shot's frame in another size. One with a photograph keeps its camera's axis on the same spot of the photograph."""
    shot = next(s for s in document.shots if s.id == shot_id)
    made = edits.put_shot(document, replace(shot, width=width, height=height))
    if shot.photograph is None:
        return made
    camera = document.cameras[shot.camera]
    return edits.put_camera(made, replace(camera, shift_y=camera.shift_y * (shot.height / shot.width) / (height / width)))


def photo_camera(document: Document, shot_id: str) -> Camera:
    """The shot's camera with the photograph itself as its frame, so that pixels of the photograph are its own."""
    shot, photo = photograph_of(document, shot_id)
    camera = document.cameras[shot.camera]
    bend = photo.bend if photo.straight else camera.bend
    return replace(camera, bend=bend, shift_y=camera.shift_y * (shot.height / shot.width) / (photo.height / photo.width))


# by hand


def slid(camera: Camera, size: tuple[int, int], grabbed: tuple[float, float], now: tuple[float, float]) -> Camera:
    """The camera moved level with the floor so that the point of it that was grabbed lies at another pixel. Raises BadValue above the horizon."""
    way = on_plane(camera, size, grabbed) - on_plane(camera, size, now)
    return _shifted(camera, way)


def _shifted(camera: Camera, way: np.ndarray) -> Camera:
    move = lambda p: tuple(float(v) for v in np.array(p) + way)  # noqa: E731
    return replace(camera, position=move(camera.position), target=move(camera.target))


def turned(camera: Camera, degrees: float) -> Camera:
    """The camera gone round the world's upright axis: the grid turns under it."""
    a = math.radians(degrees)
    turn = np.array([[math.cos(a), -math.sin(a), 0], [math.sin(a), math.cos(a), 0], [0, 0, 1]])
    move = lambda p: tuple(float(v) for v in turn @ np.array(p))  # noqa: E731
    return replace(camera, position=move(camera.position), target=move(camera.target))


def tilted(camera: Camera, degrees: float) -> Camera:
    """The camera tilted up about its own place; what stands at the origin stays where it is seen."""
    right, up, forward = camera_axes(camera)
    a = math.radians(degrees)
    way = math.cos(a) * forward + math.sin(a) * up
    if abs(way[2]) > 0.999:
        return camera
    reach = float(np.linalg.norm(np.array(camera.target) - np.array(camera.position)))
    made = replace(camera, target=tuple(float(v) for v in np.array(camera.position) + way * reach))
    return _seen_again(camera, made)


def rolled(camera: Camera, degrees: float) -> Camera:
    """The camera rolled; what stands at the origin stays where it is seen."""
    return _seen_again(camera, replace(camera, roll=camera.roll + degrees))


def _seen_again(before: Camera, after: Camera) -> Camera:
    """`after` moved level so that it sees the origin where `before` did."""
    place = project(before, np.zeros((1, 3)), 1000, 1000)[0]
    try:
        spot = on_plane(after, (1000, 1000), (float(place[0]), float(place[1])))
    except BadValue:
        return after
    return _shifted(after, -spot)


def level(camera: Camera, frame: tuple[int, int]) -> Camera:
    """A camera that looks level and shows by its shift what it showed by its tilt: uprights are upright. What it looks at stays in its place.

    Raises BadValue for one that looks too steeply up or down, or is not in perspective.
    """
    if camera.projection != "perspective":
        raise BadValue("Only a view in perspective can be levelled.")
    _, _, forward = camera_axes(camera)
    flat = np.array([forward[0], forward[1], 0.0])
    length = float(np.linalg.norm(flat))
    if length < 0.35:
        raise BadValue("The camera looks too steeply up or down to be levelled; tilt it back first.")
    position, target = np.array(camera.position), np.array(camera.target)
    reach = float((target - position) @ flat / length)
    made = replace(camera, target=tuple(float(v) for v in position + flat / length * reach), roll=0.0)
    before, after = (project(c, target[None], *frame)[0] for c in (replace(camera, roll=0.0), made))
    x = made.shift_x + float(after[0] - before[0]) / frame[0]
    return replace(made, shift_x=x, shift_y=made.shift_y - float(after[1] - before[1]) / frame[1])


def grid_lines(camera: Camera, size: tuple[int, int], wall: tuple[Any, Any] | None = None) -> tuple[list[np.ndarray], float]:
    """Lines (n, 2, 3) in the world, mm, of a grid on the floor about the origin, or on the upright wall through two points of the floor, and the
    width of its squares: so that a few dozen are seen."""
    away = float(np.linalg.norm(np.array(camera.position)))
    seen = width_at(camera, away)
    step = 10.0 ** math.floor(math.log10(max(1e-6, seen / 8)))
    step *= next(f for f in (1, 2, 5, 10) if f * step >= seen / 8)
    count = 12
    ticks = np.arange(-count, count + 1) * step
    reach = count * step
    if wall is None:
        lines = [np.array([[t, -reach, 0], [t, reach, 0]]) for t in ticks] + [np.array([[-reach, t, 0], [reach, t, 0]]) for t in ticks]
        return lines, step
    one, other = (np.array([*p[:2], 0.0]) for p in wall)
    along = (other - one) / max(1e-9, float(np.linalg.norm(other - one)))
    up = np.array([0, 0, 1.0])
    lines = [np.array([one + along * t, one + along * t + up * reach]) for t in ticks]
    return lines + [np.array([one - along * reach + up * t, one + along * reach + up * t]) for t in ticks if t >= 0], step
