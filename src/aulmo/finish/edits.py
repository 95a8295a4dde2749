"""Finishes in a project: grades added by name, and a shot finished from its planes."""

from pathlib import Path
from typing import Any, Mapping, NamedTuple

import msgspec
import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.properties import resolve
from aulmo.document.property_table import TABLE
from aulmo.document.records import Document, Finish, Grade, Layer, Mask, Shot
from aulmo.errors import BadValue
from aulmo.finish.composing import Finished, Kept, Means, composed, displayed
from aulmo.finish.planes import Planes, cut, of_arrays, of_picture, read_source, spans
from aulmo.trace.plate import PlateBook


def checked(grade: Grade) -> Grade:
    """A grade whose numbers can be worked with. Raises BadValue."""
    for name, known in TABLE[Grade].items():
        if known.kind == "number":
            value = getattr(grade, name)
            if not np.isfinite(value) or not known.least <= value <= known.most:
                raise BadValue(f"{name} of a grade goes from {known.least:g} to {known.most:g}, and not to {value:g}.")
    for name in ("curve", "red", "green", "blue"):
        points = getattr(grade, name)
        if any(not np.isfinite(p).all() for p in points) or len({x for x, _ in points}) < len(points):
            raise BadValue(f"The points of a grade's {name} want to be numbers, and no two at one place.")
    return grade


def finish_of(document: Document, shot: Shot) -> Finish:
    """What is made of a shot's render; an empty one where there is none."""
    return document.finishes.get(shot.finish, Finish("", shot.name))


def put_finish(document: Document, shot: Shot, finish: Finish) -> Document:
    """A shot with a finish; a finish that has no id becomes one of its own."""
    if not finish.id:
        finish = replace(finish, id=edits.new_id())
    document = replace(document, finishes={**document.finishes, finish.id: finish})
    return replace(document, shots=tuple(replace(s, finish=finish.id) if s.id == shot.id else s for s in document.shots))


def _mask(document: Document, mask: Any) -> Mask:
    if isinstance(mask, Mask):
        return mask
    named = next((p.name for p in document.parts.values() if mask in (p.name, p.id)), None)
    if named is None:
        raise BadValue(f"There is no part named {mask}.")
    return Mask(edits.new_id(), "part", names=(named,))


def add_grade(document: Document, shot_name: str, mask: Any, values: Mapping[str, Any]) -> Document:
    """A grade on top of a shot's finish. Raises BadValue."""
    shot = edits.find_shot(document, shot_name)
    masks = () if mask is None else tuple(_mask(document, m) for m in (mask if isinstance(mask, (list, tuple)) else (mask,)))
    unknown = sorted(set(values) - set(Grade.__struct_fields__))
    if unknown:
        raise BadValue(f"A grade has nothing called {unknown[0]}; it has {', '.join(Grade.__struct_fields__)}.")
    try:
        grade = checked(msgspec.convert(msgspec.to_builtins(dict(values)), Grade))
    except msgspec.ValidationError as error:
        raise BadValue(f"That is no value of a grade: {error}.") from None
    finish = finish_of(document, shot)
    name = edits.free_name("Grade", (layer.name for layer in finish.layers))
    layer = Layer(edits.new_id(), name, grade=grade, masks=masks)
    return put_finish(document, shot, replace(finish, layers=(*finish.layers, layer)))


def planes_of(planes: Any, view: str = "Product neutral") -> Planes:
    """Planes out of whatever holds them: a finished render, a path (of a picture its light, as a view shows it), arrays by name."""
    if isinstance(planes, Planes):
        return planes
    if isinstance(planes, (str, Path)):
        return read_source(Path(planes), view)
    return of_arrays(planes) if isinstance(planes, Mapping) else of_picture(planes)


def by_mattes(document: Document, finish: Finish) -> Finish:
    """A finish whose masks name what mattes know: of a group its parts, of a decal its surface. Raises nothing: what is gone stays as it is."""

    def named(mask: Mask) -> Mask:
        if mask.kind == "group":
            chosen = [p.id for p in document.parts.values() if p.name in mask.names]
            leaves = edits.leaves(document, chosen)
            return replace(mask, names=tuple(dict.fromkeys(document.parts[i].name for i in leaves)) or mask.names)
        if mask.kind == "decal":
            worn = [d.material for d in document.decals.values() if d.name in mask.names]
            known = [document.materials[i].name for i in worn if i in document.materials]
            return replace(mask, names=tuple(dict.fromkeys(known)) or mask.names)
        return mask

    if not any(mask.kind in ("group", "decal") for layer in finish.layers for mask in layer.masks):
        return finish
    return replace(finish, layers=tuple(replace(layer, masks=tuple(map(named, layer.masks))) for layer in finish.layers))


def _means_of(document: Document, assets: AssetStore, shot: Shot, finish: Finish) -> Means:
    """What a shot's finish is made with, of a resolved document."""

    def photograph(h: int, w: int) -> np.ndarray | None:
        camera = document.cameras.get(shot.camera)
        alone = replace(document, shots=(shot,), backdrop=replace(document.backdrop, kind="photograph", shot=shot.id))
        plate = PlateBook(assets).plate(alone, camera, w, h, final=True) if camera is not None else None
        return plate.light if plate is not None else None

    return Means(assets.get, finish.view or shot.view, photograph)


def finished_of(
    document: Document, assets: AssetStore, shot_name: str | Shot | None, planes: Any, time_: float = 0.0
) -> tuple[np.ndarray, np.ndarray, list[str]]:
    """(h, w, 3) display pixels, (h, w) alpha, and sentences on what could not be made, of a shot's finish at a time of the film."""
    shot = edits.find_shot(document, shot_name)
    seen = resolve(document, {"shot": shot.id}, time_)  # as keys, the variant and the shot's own say
    made = made_of(seen, assets, shot, planes_of(planes, shot.view), time_)
    return displayed(made.light, made.view), made.light.alpha, [*made.planes.notes, *told_of(made.finish, made.light.faults)]


class Made(NamedTuple):
    """What a shot's finish comes to: its light, the finish with its masks as mattes know them, the planes with where the camera stands, the view."""

    light: Finished
    finish: Finish
    planes: Planes
    view: str


def made_of(
    document: Document, assets: AssetStore, shot: Shot, planes: Planes, time_: float = 0.0, kept: Kept | None = None, below: str = ""
) -> Made:  # fmt: skip
    """A shot's finish made of planes, of a document that is resolved for it; only what lies `below` a layer, when one is named by its id."""
    finish = by_mattes(document, finish_of(document, shot))
    at = next((k for k, layer in enumerate(finish.layers) if layer.id == below), len(finish.layers))
    camera = document.cameras.get(shot.camera)
    seen = planes if camera is None else planes._replace(eye=camera.position)
    means = _means_of(document, assets, shot, finish)
    light = composed(seen, replace(finish, layers=finish.layers[:at]), seed=round(time_ * 1000), means=means, kept=kept)
    return Made(light, finish, seen, means.view)


def does_something(finish: Finish, shot: Shot) -> bool:
    """Whether a finish changes what a shot's render shows."""
    return any(layer.on for layer in finish.layers) or bool(finish.balance) or (bool(finish.view) and finish.view != shot.view)


def finished_within(
    document: Document, assets: AssetStore, shot: Shot, picture: Any, box: tuple[float, float, float, float], time_: float = 0.0
) -> np.ndarray:
    """(h, w, 3) display values of a picture with the finish of a shot, of a document that is resolved for it, within a box of it (left, top, right,
    bottom in shares): the frame; what lies beside it is shown as it is."""
    whole = of_picture(picture)
    rows, columns = spans(whole.alpha.shape, box)
    full = (rows.stop - rows.start, columns.stop - columns.start) == whole.alpha.shape
    made = made_of(document, assets, shot, whole if full else cut(whole, box), time_)
    if full:
        return displayed(made.light, made.view)
    display = displayed(composed(whole, Finish("")), made.view)
    if rows.stop > rows.start and columns.stop > columns.start:
        display[rows, columns] = displayed(made.light, made.view)
    return display


def told_of(finish: Finish, faults: Mapping[str, str]) -> list[str]:
    """Sentences on the layers that are left out."""
    names = {layer.id: layer.name for layer in finish.layers}
    return [f"{names.get(k, 'Light balance')} is left out: {words}" for k, words in faults.items()]
