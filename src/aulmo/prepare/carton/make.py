"""Cartons as parts: made from a drawing, folded, their lines changed, their front chosen, their board put on."""

from pathlib import Path
from typing import Any, Mapping, Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.flat import KINDS, SUFFIX, Flat, flat_of, pack_flat
from aulmo.document.made import carton as folding
from aulmo.document.made.carton_decals import followed
from aulmo.document.made.carton_flat import BACK, EDGE, FILM
from aulmo.document.made.carton_round import radii_of
from aulmo.document.placement import from_matrix, world_matrix
from aulmo.document.properties import put_many
from aulmo.document.records import Carton, Crease, Document, FaceSet, Material, Part, Placement, Surface
from aulmo.errors import BadFile, BadValue
from aulmo.prepare.arrange import points_of
from aulmo.prepare.carton import boards
from aulmo.prepare.carton.drawing import read_drawing
from aulmo.prepare.carton.lay_out import Sheet, lay_out, with_kinds
from aulmo.prepare.carton.order import find_order, timed
from aulmo.prepare.carton.roles import likely_front, roles_of

MOST_DRAWINGS, BETWEEN_MM = 8, 40.0  # of a file that are folded at once; between them
SIDES = {"back": ("Back", BACK), "edge": ("Edge", EDGE), "film": ("Window film", FILM)}  # face sets: the front is the part's own material


def make_carton(document: Document, assets: AssetStore, path: Path, thickness_mm: float = 0.4, number: int = 0) -> tuple[Document, str]:
    """A closed carton of a flat drawing, its front upright on the floor. Returns the document and the part's id. Raises BadFile or BadValue with one
    sentence."""
    flat = lay_out(Path(path), number)
    return add_carton(document, assets, flat, Path(path), thickness_mm)


def every_carton(assets: AssetStore, path: Path, thickness_mm: float = 0.4) -> tuple[Document, list[str]]:
    """All drawings of a file as cartons, side by side in a document of their own, the largest first. Raises BadFile with one sentence when the first
    cannot be folded; others that cannot are passed over."""
    sheet = Sheet(read_drawing(path), Path(path).name)
    document, x = Document(name=""), 0.0
    found: list[str] = []
    for number in range(min(MOST_DRAWINGS, max(1, len(sheet.pieces)))):
        try:
            document, part = add_carton(document, assets, sheet.flat(number), path, thickness_mm)
        except BadFile:
            if not found:
                raise
            continue
        low, high = (float(end[0]) for end in assets.box(document.parts[part].mesh or ""))
        aside = x - low if found else 0.0
        document = edits.change_part(document, part, placement=Placement((aside, 0.0, 0.0)))
        x = aside + high + BETWEEN_MM
        found.append(part)
    return document, found


def add_carton(document: Document, assets: AssetStore, flat: Flat, path: Path, thickness_mm: float = 0.4, board: str = "") -> tuple[Document, str]:
    """A carton of a flat that was laid out."""
    name = assets.add(pack_flat(flat), SUFFIX)
    chosen = boards.boards().get(board) or boards.OURS["Folding boxboard"]
    front = likely_front(flat)
    start = Carton(
        flat=name, file=Path(path).name, front=front, thickness=_thickness(thickness_mm), board=chosen.name,
        weight=round(boards.weight_of(chosen, float(thickness_mm)), 1),
    )  # fmt: skip
    carton = arranged(start, flat)
    part = Part(
        id=edits.new_id(), name=edits.free_name(Path(path).stem or "Carton", (p.name for p in document.parts.values())),
        mesh=folding.name_of_mesh(carton), carton=carton,
    )  # fmt: skip
    document = replace(document, parts={**document.parts, part.id: part}, roots=(*document.roots, part.id))
    return with_board(document, part.id, chosen, sized=False), part.id


def _thickness(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not 0.01 <= value <= 50:
        raise BadValue("The board has to be between 0.01 and 50 mm thick.")
    return float(value)


def carton_of(document: Document, part_id: str) -> Carton:
    """The carton of a part. Raises BadValue when it is none."""
    part = document.parts.get(part_id)
    if part is None or part.carton is None:
        raise BadValue("Choose a carton first.")
    return part.carton


def arranged(carton: Carton, flat: Flat, kept: Sequence[Crease] = ()) -> Carton:
    """A carton with the roles that its panels have about its front: names, groups, closed angles, an order. Angles of `kept` creases stay."""
    roles = roles_of(flat, carton.front, carton.thickness)
    held = {c.id: c for c in kept}
    creases = tuple(
        Crease(c.id, group, held[c.id].angle if c.id in held else angle) for c, group, angle in zip(flat.creases, roles.groups, roles.angles)
    )
    fresh = replace(carton, names=roles.names, creases=creases)
    return replace(fresh, creases=find_order(fresh).creases)


def with_carton(document: Document, part_id: str, carton: Carton) -> Document:
    """A part folded as another carton says; what it wears by faces stays with the faces. Raises BadValue."""
    old, name = document.parts[part_id].mesh, folding.name_of_mesh(carton)
    return edits.change_part(followed(document, part_id, old, name), part_id, carton=carton, mesh=name)


def fold(document: Document, part_id: str, degrees: float | Mapping[str, float]) -> Document:
    """A carton with all its creases folded by so many degrees, or some of them by their ids or groups. Raises BadValue."""
    carton = carton_of(document, part_id)
    known = {c.id for c in carton.creases}
    groups = {c.group for c in carton.creases}
    if isinstance(degrees, Mapping):
        unknown = [name for name in degrees if name not in known | groups]
        if unknown:
            raise BadValue(f"The carton has no crease {unknown[0]}; it has {', '.join(sorted(groups))}, and singly {', '.join(sorted(known)[:8])}.")
        wanted = {c.id: degrees[c.id] if c.id in degrees else degrees[c.group] for c in carton.creases if c.id in degrees or c.group in degrees}
    else:
        wanted = {c.id: degrees for c in carton.creases}
    values: dict[str, Any] = {f"parts/{part_id}/carton/creases/{i}/angle": angle for i, angle in wanted.items()}
    if carton.folded < 1.0:
        values[f"parts/{part_id}/carton/folded"] = 1.0
    return put_many(document, values)


def set_front(document: Document, part_id: str, panel: int) -> Document:
    """A carton with another front; names, groups and the order follow, angles stay. Raises BadValue."""
    carton = carton_of(document, part_id)
    flat = flat_of(carton.flat)
    if not 0 <= panel < len(flat.panels):
        raise BadValue(f"The carton has no panel {panel + 1}.")
    return with_carton(document, part_id, arranged(replace(carton, front=panel), flat, carton.creases))


def set_kinds(document: Document, assets: AssetStore, part_id: str, lines: Sequence[int], kind: str) -> Document:
    """A carton with some of its drawing's lines of another kind. Creases that are still there keep their angles. Raises BadFile, BadValue."""
    if kind not in KINDS:
        raise BadValue(f"A line can be {', '.join(KINDS)}.")
    carton = carton_of(document, part_id)
    old = flat_of(carton.flat)
    if any(not 0 <= line < len(old.lines) for line in lines):
        raise BadValue("The drawing has no such line.")
    flat = with_kinds(old, {line: kind for line in lines})
    name = assets.add(pack_flat(flat), SUFFIX)
    front = _same_panel(old, carton.front, flat)
    fresh = arranged(replace(carton, flat=name, front=front), flat, carton.creases)
    document = with_carton(document, part_id, fresh)
    return _sides(document, part_id, len(flat.panels), len(flat.creases))


def _same_panel(old: Flat, panel: int, fresh: Flat) -> int:
    from shapely import Point, Polygon

    at = Polygon(old.panels[panel].rings[0]).representative_point()
    return next((k for k, p in enumerate(fresh.panels) if Polygon(p.rings[0]).contains(Point(at))), likely_front(fresh))


def reordered(document: Document, part_id: str, steps: Sequence[Sequence[str]]) -> Document:
    """A carton that folds in these steps, each some groups that move together. Raises BadValue when a group is missing or unknown."""
    carton = carton_of(document, part_id)
    if sorted(g for step in steps for g in step) != sorted({c.group for c in carton.creases}):
        raise BadValue("Each group of creases has to move in one step.")
    return with_carton(document, part_id, replace(carton, creases=timed(carton.creases, steps, folding.ready_of(carton))))


def steps_of(carton: Carton) -> list[list[str]]:
    """The steps in which a carton is folded, as groups that move together."""
    found: dict[float, list[str]] = {}
    for crease in sorted(carton.creases, key=lambda c: c.start):
        step = found.setdefault(round(crease.start, 4), [])
        if crease.group not in step:
            step.append(crease.group)
    return list(found.values())


def round_body(document: Document, assets: AssetStore, part_id: str, body: str) -> Document:
    """A flat label laid round a body that is round and upright, halfway up, facing the viewer. Raises BadValue with one sentence."""
    carton = carton_of(document, part_id)
    points = points_of(document, assets, [body])
    if body == part_id or not len(points):
        raise BadValue("Choose the label, and the body that it goes round.")
    radii, high, foot = radii_of(points)
    flat = flat_of(carton.flat)
    left, bottom, right, top = flat.box
    rise = max(0.0, 0.5 * (high - (top - bottom)))
    made = replace(carton, form="round", radii=tuple(round(r, 4) for r in radii), body_mm=round(high, 4), rise=round(rise, 3))
    document = with_carton(document, part_id, made)
    part = document.parts[part_id]
    above = world_matrix(document, part.parent) if part.parent else np.eye(4)
    stand = np.eye(4)
    stand[:3, 3] = foot
    return edits.change_part(document, part_id, placement=from_matrix(np.linalg.inv(above) @ stand))


def as_form(document: Document, part_id: str, form: str) -> Document:
    """A flat folded, or as a pouch. Raises BadValue: a label needs its body first."""
    carton = carton_of(document, part_id)
    if form == "round" and not carton.radii:
        raise BadValue("Choose the label and, with Ctrl, the body; then Round a body in the menu Arrange.")
    return put_many(document, {f"parts/{part_id}/carton/form": form})


def brought_in(document: Document, made: Document, part_id: str) -> tuple[Document, str]:
    """A document with a carton that was made in another one, its materials taken over. Returns the document and the part's id."""
    part = made.parts[part_id]
    instead: dict[str | None, str | None] = {None: None}
    for worn in dict.fromkeys(edits.surfaces_of(part)):
        if worn is not None:
            material = made.materials[worn]
            document, instead[worn] = _material(document, material.name, material.surface)
    sets = tuple(replace(s, material=instead[s.material]) for s in part.face_sets)
    name = edits.free_name(part.name, (p.name for p in document.parts.values()))
    part = replace(part, name=name, material=instead[part.material], face_sets=sets)
    return replace(document, parts={**document.parts, part.id: part}, roots=(*document.roots, part.id)), part.id


# what it is made of


def board_of(document: Document, part_id: str, name: str) -> boards.Board:
    """The board that a carton is made of now, under a name of its own."""
    carton, part = carton_of(document, part_id), document.parts[part_id]
    worn = {s.id: s.material for s in part.face_sets}
    surface = lambda m: document.materials[m].surface if m in document.materials else Surface()  # noqa: E731
    old = boards.boards().get(carton.board, boards.OURS["Folding boxboard"])
    weight = carton.weight or boards.weight_of(old, carton.thickness)
    kind = "corrugated" if carton.fluted != "no" else old.kind if old.kind != "corrugated" else "board"
    return boards.Board(
        name, carton.thickness, weight, surface(part.material), surface(worn.get("back")), surface(worn.get("edge")),
        carton.pitch_mm if carton.fluted != "no" else 0.0, kind,
    )  # fmt: skip


def with_board(document: Document, part_id: str, board: boards.Board, sized: bool = True) -> Document:
    """A carton of a board: its materials on front, back and edges; its thickness and flutes too where it is `sized`."""
    carton = carton_of(document, part_id)
    part = document.parts[part_id]
    document, front = _material(document, f"{board.name}", board.front)
    document, back = _material(document, f"{board.name}, back", board.back, front if board.back == board.front else None)
    document, core = _material(document, f"{board.name}, edge", board.core, back if board.core == board.back else None)
    if sized:
        carton = replace(
            carton, board=board.name, thickness=board.thickness_mm, weight=board.weight, pitch_mm=board.pitch_mm or carton.pitch_mm,
            fluted=("y" if carton.fluted == "no" else carton.fluted) if board.kind == "corrugated" else "no",
        )  # fmt: skip
        carton = replace(carton, creases=find_order(carton).creases)
    worn = {"back": back, "edge": core}
    sets = [s for s in part.face_sets if s.id not in SIDES]
    film = next((s for s in part.face_sets if s.id == "film"), None)
    flat = flat_of(carton.flat)
    made = [FaceSet(i, SIDES[i][0], _faces(i, len(flat.panels), len(flat.creases)), m) for i, m in worn.items()]
    document = edits.change_part(document, part_id, material=front, face_sets=(*made, *([film] if film else []), *sets))
    return edits.drop_unused_materials(with_carton(document, part_id, carton))


def _faces(side: str, panels: int, creases: int) -> tuple[int, ...]:
    shows = SIDES[side][1]
    return tuple(4 * k + shows for k in range(panels + creases))


def _sides(document: Document, part_id: str, panels: int, creases: int) -> Document:
    part = document.parts[part_id]
    sets = tuple(replace(s, faces=_faces(s.id, panels, creases)) if s.id in SIDES else s for s in part.face_sets)
    return edits.change_part(document, part_id, face_sets=sets)


def _material(document: Document, name: str, surface: Surface, same: str | None = None) -> tuple[Document, str]:
    if same is not None:
        return document, same
    held = next((m.id for m in document.materials.values() if m.surface == surface and m.name == name and not m.nodes), None)
    if held is not None:
        return document, held
    made = Material(edits.new_id(), edits.free_name(name, (m.name for m in document.materials.values())), surface=surface)
    return edits.put_material(document, made), made.id


def with_film(document: Document, part_id: str, film_mm: float) -> Document:
    """A carton with clear film behind its windows, or none at 0. Raises BadValue."""
    carton = carton_of(document, part_id)
    flat = flat_of(carton.flat)
    document = put_many(document, {f"parts/{part_id}/carton/film_mm": film_mm})
    part = document.parts[part_id]
    if film_mm > 0 and not any(s.id == "film" for s in part.face_sets):
        document, clear = _material(document, "Clear film", boards.OURS["Clear film"].front)
        made = FaceSet("film", SIDES["film"][0], _faces("film", len(flat.panels), len(flat.creases)), clear)
        document = edits.change_part(document, part_id, face_sets=(*document.parts[part_id].face_sets, made))
    elif film_mm <= 0:
        kept = tuple(s for s in part.face_sets if s.id != "film")
        document = edits.drop_unused_materials(edits.change_part(document, part_id, face_sets=kept))
    return document

