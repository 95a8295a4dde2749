"""A finish applied: lights balanced, layers laid over each other, grades through their masks, then the view."""

from typing import Callable, Mapping, NamedTuple

import numpy as np

from aulmo.document.finish_records import Balance, Finish, Layer
from aulmo.errors import AulmoError, BadValue
from aulmo.finish.blending import blended
from aulmo.finish.grading import graded, looked_up, read_cube
from aulmo.finish.masking import mask_of
from aulmo.finish.planes import Planes
from aulmo.trace.view import show

Blobs = Callable[[str], bytes]  # an asset by its name


class Finished(NamedTuple):
    """Light in shares of white (h, w, 3) and its alpha (h, w), the tables that display values go through, and sentences on layers that could not be
    made: these are left out, the rest is shown."""

    rgb: np.ndarray
    alpha: np.ndarray
    tables: tuple[tuple[np.ndarray, float], ...]
    faults: dict[str, str]


def balanced(planes: Planes, balance: Mapping[str, Balance]) -> np.ndarray:
    """The render with its lights as a balance wants them: exactly the sum of their passes, each as bright and of the colour it is told. What has been
    denoised stays so: the share by which the sum changes is laid on the clean picture. Raises BadValue for a light whose pass is not there."""
    changed = {name: b for name, b in balance.items() if b.stops != 0 or b.colour != (1.0, 1.0, 1.0) or not b.on}
    if not changed:
        return planes.rgb
    missing = sorted(set(changed) - set(planes.groups))
    if missing:
        raise BadValue(f"This render does not hold the light of {missing[0]} by itself; render it with the pass Light by group.")
    rgb = planes.rgb.astype(np.float32)
    for name, b in changed.items():
        own = planes.layers.get(f"group.{name}.denoised", planes.layers[f"group.{name}"])[..., :3]
        gain = np.array(b.colour, np.float32) * np.float32(2.0**b.stops if b.on else 0.0)
        rgb = rgb + own * (gain - 1)
    return np.maximum(rgb, 0) if planes.rgb.min() >= 0 else rgb


def _content(layer: Layer, planes: Planes, ground: np.ndarray) -> tuple[np.ndarray, np.ndarray | None]:
    """Light of a layer, (h, w, 3), and its own alpha where it has one."""
    h, w = planes.alpha.shape
    if layer.kind == "render":
        return ground, planes.alpha
    if layer.kind in ("group", "pass"):
        name = f"group.{layer.source}" if layer.kind == "group" else layer.source
        data = planes.data(name)
        return (np.repeat(data, 3, -1) if data.shape[-1] == 1 else data[..., :3]).astype(np.float32), None
    if layer.kind == "colour":
        return np.broadcast_to(np.array(layer.colour, np.float32), (h, w, 3)), None
    share = ((np.arange(h, dtype=np.float32) + 0.5) / h)[:, None, None]
    made = np.array(layer.colour, np.float32) * (1 - share) + np.array(layer.colour_to, np.float32) * share
    return np.broadcast_to(made, (h, w, 3)), None


def composed(planes: Planes, finish: Finish, blobs: Blobs | None = None, seed: int = 0) -> Finished:
    """A finish made of planes. Nothing is raised for a layer that cannot be made: it is left out and its sentence told."""
    faults: dict[str, str] = {}
    tables: list[tuple[np.ndarray, float]] = []
    try:
        ground = balanced(planes, finish.balance)
    except BadValue as error:
        faults["balance"], ground = str(error), planes.rgb
    live = [layer for layer in finish.layers if layer.on]
    if any(layer.kind == "render" for layer in live):
        rgb, alpha = np.zeros_like(planes.rgb), np.zeros_like(planes.alpha)
    else:
        rgb, alpha = ground, planes.alpha
    for layer in live:
        try:
            mask = mask_of(layer.masks, planes, rgb)
            shown: np.ndarray | float = layer.opacity if mask is None else mask * np.float32(layer.opacity)
            share = shown[..., None] if isinstance(shown, np.ndarray) else shown
            if layer.kind == "grade":
                made = graded(rgb, layer.grade, seed)
                if made is not rgb:
                    rgb = blended(rgb, made, layer.blend, share)
                if layer.grade.lut and blobs is not None:
                    tables.append((read_cube(blobs(layer.grade.lut), layer.name), layer.grade.lut_strength * layer.opacity))
                continue
            above, own = _content(layer, planes, ground)
            if layer.blend == "over" and own is not None:  # premultiplied: what is there already shines through what is not covered
                rgb = blended(rgb, above + rgb * (1 - own[..., None]), "over", share)
                alpha = alpha + own * (1 - alpha) * shown
            else:
                rgb = blended(rgb, np.asarray(above, np.float32), layer.blend, share)
                if layer.blend == "over":
                    alpha = alpha + (1 - alpha) * shown
        except AulmoError as error:
            faults[layer.id] = str(error)
    return Finished(np.asarray(rgb, np.float32), np.asarray(alpha, np.float32), tuple(tables), faults)


def displayed(finished: Finished, view: str) -> np.ndarray:
    """(h, w, 3) display values 0..1 of a finished picture, through the view and then its tables; where alpha is below one, of what is there."""
    light = finished.rgb
    if finished.alpha.min() < 0.9999:
        light = np.where(finished.alpha[..., None] < 0.9999, light / np.maximum(finished.alpha, 1e-4)[..., None], light)
    display = show(np.ascontiguousarray(light, np.float32), 1.0, view, exact=True)
    for table, strength in finished.tables:
        display = looked_up(display, table, strength)
    return np.clip(display, 0, 1)
