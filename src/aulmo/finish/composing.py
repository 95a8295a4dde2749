"""A finish applied: lights balanced, layers laid over each other, grades through their masks, then the view."""

from typing import Any, Callable, Mapping, NamedTuple

import numpy as np

from aulmo.document.finish_records import Balance, Finish, Layer
from aulmo.errors import AulmoError, BadValue
from aulmo.finish.blending import blended
from aulmo.finish.filters import gaussian_filter
from aulmo.finish.grading import graded, in_bands, looked_up, read_cube
from aulmo.finish.masking import mask_of
from aulmo.finish.pictures import picture_light, placed, text_light
from aulmo.finish.planes import Planes
from aulmo.trace.view import show

DIMMED = 0.25  # of a light, below which what it leaves counts
LEVEL = 0.9  # the upward share of a normal from which on something lies level
AMBIENT = 0.25  # of the light that no shadow keeps away
DEEPEST = 0.06  # what reaches at least where a shadow is divided out
Blobs = Callable[[str], bytes]  # an asset by its name


class Finished(NamedTuple):
    """Light in shares of white (h, w, 3) and its alpha (h, w), the tables that display values go through, and sentences on layers that could not be
    made, by their ids ("balance" of the lights): these are left out, the rest is shown."""

    rgb: np.ndarray
    alpha: np.ndarray
    tables: tuple[tuple[np.ndarray, float], ...]
    faults: dict[str, str]


class Means(NamedTuple):
    """What a stack is made with besides its planes: assets, the view that pictures are seen through, and the light of the shot's photograph for so
    many rows and columns, None where it has none."""

    blobs: Blobs | None = None
    view: str = "Product neutral"
    photograph: Callable[[int, int], np.ndarray | None] | None = None


class Kept:
    """What a stack came to after each layer the last time, so that only what lies over a change is made anew."""

    def __init__(self) -> None:
        self.of: Planes | None = None
        self.about: tuple[Any, ...] = ()
        self.steps: list[tuple[Any, Finished]] = []
        self.plain: tuple[np.ndarray, str, np.ndarray] | None = None  # light, its view, and the display values of that with nothing done


def is_neutral(balance: Balance) -> bool:
    """Whether a light is left as it is."""
    return balance.stops == 0 and balance.colour == (1.0, 1.0, 1.0) and balance.on


def balanced(planes: Planes, balance: Mapping[str, Balance], raw: bool = False) -> np.ndarray:
    """The render with its lights as a balance wants them: exactly the sum of their passes, each as bright and of the colour it is told. What has been
    denoised stays so: the share by which the sum of cleaned lights changes is laid on the clean picture. Lights whose pass is not there stay as they
    are."""
    ground = planes.raw if raw else planes.rgb
    changed = {name: b for name, b in balance.items() if not is_neutral(b) and name in planes.groups}
    if not changed:
        return ground
    more = np.zeros_like(ground, np.float32)
    gains = {n: np.array(b.colour, np.float32) * np.float32(2.0**b.stops if b.on else 0.0) for n, b in changed.items()}
    for name, gain in gains.items():
        more += (planes.layers[f"group.{name}"][..., :3] if raw else planes.clean(name)) * (gain - 1)
    total = None if raw else _cleaned_sum(planes, min(float(g.min()) for g in gains.values()) < DIMMED)
    if total is not None:
        share = np.where(total > 1e-6, 1 + more / np.maximum(total, 1e-6), 1)
        return (ground * np.clip(share, 0, max(1.0, *(float(g.max()) for g in gains.values())))).astype(np.float32)
    rgb = ground + more
    return np.maximum(rgb, 0) if ground.min() >= 0 else rgb


def _cleaned_sum(planes: Planes, dimmed: bool) -> np.ndarray | None:
    """What all lights come to once each is without noise, which is not quite the picture without noise: where lights are dimmed the difference would
    be left standing along edges. None where the picture keeps its noise, where its lights do not add up to it, or it is not worth it: none is dimmed
    and they would have to be cleaned first."""
    names = planes.groups
    if planes.noisy or not (dimmed or all(f"group.{n}.denoised" in planes.layers for n in names)):
        return None
    found = np.sum([planes.layers[f"group.{n}"][..., :3] for n in names], 0)
    if float(np.abs(found - planes.raw).mean()) > 0.02 * float(np.abs(planes.raw).mean()):
        return None
    return np.sum([planes.clean(n) for n in names], 0)


def missing_lights(planes: Planes, balance: Mapping[str, Balance]) -> str:
    """A sentence on a light that is balanced and whose pass is not there; "" when all are."""
    missing = sorted(name for name, b in balance.items() if not is_neutral(b) and name not in planes.groups)
    return f"This render does not hold the light of {missing[0]} by itself; render it with the pass Light by group." if missing else ""


def _content(layer: Layer, planes: Planes, finish: Finish, below: np.ndarray, means: Means) -> tuple[np.ndarray, np.ndarray | None]:
    """Light of a layer, (h, w, 3), and its own alpha where it has one: of light that is already multiplied by it."""
    h, w = planes.alpha.shape
    if layer.kind == "render":
        return balanced(planes, finish.balance, layer.raw), planes.alpha
    if layer.kind in ("group", "pass"):
        name = f"group.{layer.source}" if layer.kind == "group" else layer.source
        data = planes.data(name)
        return (np.repeat(data, 3, -1) if data.shape[-1] == 1 else data[..., :3]).astype(np.float32), None
    if layer.kind == "shadow":
        return relit(below, planes, layer), None
    if layer.kind == "photograph":
        light = means.photograph(h, w) if means.photograph is not None else None
        if light is None:
            raise BadValue("This shot has no photograph.")
        return light, None
    if layer.kind == "picture":
        if layer.picture is None or means.blobs is None:
            raise BadValue("No picture is chosen.")
        return placed(picture_light(means.blobs(layer.picture), layer.name, means.view), layer, h, w)
    if layer.kind == "text":
        light, alpha = placed(text_light(layer.source, tuple(layer.colour)), layer, h, w)
        return light, alpha
    if layer.kind == "colour":
        return np.broadcast_to(np.array(layer.colour, np.float32), (h, w, 3)), None
    share = ((np.arange(h, dtype=np.float32) + 0.5) / h)[:, None, None]
    made = np.array(layer.colour, np.float32) * (1 - share) + np.array(layer.colour_to, np.float32) * share
    return np.broadcast_to(made, (h, w, 3)), None


def relit(below: np.ndarray, planes: Planes, layer: Layer) -> np.ndarray:
    """Light with its shadows laid anew, on what lies level: floors and tables; everywhere, where it is not known what does. A share s of the lights
    that is kept away leaves 1 - (1 - AMBIENT) s, for light comes from elsewhere too; that is divided out and the softened, deeper or coloured one
    multiplied in. The open floor counts as no shadow. Of catchers the share is what their shadow takes of the photograph, all of it."""
    shadow = np.clip(planes.clean_shadow(), 0, 1).astype(np.float32)
    normal = planes.layers.get("normal_first", planes.layers.get("normal"))
    level = np.ones_like(shadow) if normal is None else (normal[..., 2:3] > LEVEL).astype(np.float32)
    kept = planes.layers.get("catcher.kept")
    caught = np.zeros_like(shadow) if kept is None else np.clip(planes.layers["catcher.alpha"][..., :1], 0, 1)
    open_floor = float(np.percentile(shadow[level > 0], 10)) if (level > 0).any() else 0.0
    shadow = np.clip((shadow - open_floor) / max(1e-3, 1 - open_floor), 0, 1) * level
    if kept is not None:
        shadow = shadow * (1 - caught) + (1 - np.clip(kept[..., :3], 0, 1).mean(-1, keepdims=True)) * caught
        level = np.maximum(level, caught)
    sigma = layer.soften * 1e-3 * below.shape[1]
    blur = lambda plane: gaussian_filter(plane, (sigma, sigma, 0), mode="nearest", truncate=3.0)  # noqa: E731
    soft = np.where(level > 0, blur(shadow * level) / np.maximum(blur(level), 1e-3), shadow) if sigma > 0.2 else shadow
    deep = 1 - np.float32(AMBIENT) * (1 - caught)
    after = 1 - deep * np.float32(layer.strength) * soft * (1 - np.clip(np.array(layer.colour, np.float32), 0, 1))
    return (below * (np.maximum(after, DEEPEST) / np.maximum(1 - deep * shadow, DEEPEST))).astype(np.float32)


def composed(
    planes: Planes, finish: Finish, blobs: Blobs | None = None, seed: int = 0, means: Means | None = None, kept: Kept | None = None
) -> Finished:  # fmt: skip
    """A finish made of planes. Nothing is raised for a layer that cannot be made: it is left out and its sentence told. With `kept` what lies below
    the first change since the last time is taken as it was."""
    means = means or Means(blobs)
    if kept is not None and not (kept.of is not None and kept.of.same(planes) and kept.about == (finish.balance, means.view, seed)):
        kept.of, kept.about, kept.steps = planes, (finish.balance, means.view, seed), []
    live = [layer for layer in finish.layers if layer.on]
    fault = missing_lights(planes, finish.balance)
    faults = {"balance": fault} if fault else {}
    if any(layer.kind == "render" for layer in live):
        state = Finished(np.zeros_like(planes.rgb), np.zeros_like(planes.alpha), (), faults)
    else:
        state = Finished(balanced(planes, finish.balance), planes.alpha, (), faults)
    parents = {layer.id: layer for layer in finish.layers if layer.kind == "stack"}
    bare = any(layer.kind == "render" for layer in live)
    top = [layer for layer in live if layer.inside not in parents]
    for k, layer in enumerate(top):
        about = (bare, layer, tuple(c for c in live if layer.kind == "stack" and c.inside == layer.id))
        if kept is not None and k < len(kept.steps) and kept.steps[k][0] == about:
            state = kept.steps[k][1]
            continue
        state = _laid(state, layer, about[2], planes, finish, means, seed)
        if kept is not None:
            del kept.steps[k:]
            kept.steps.append((about, state))
    return state._replace(rgb=np.asarray(state.rgb, np.float32), alpha=np.asarray(state.alpha, np.float32))


def _laid(below: Finished, layer: Layer, children: tuple[Layer, ...], planes: Planes, finish: Finish, means: Means, seed: int) -> Finished:
    """A layer laid over what is below it; what cannot be is left out, and told."""
    try:
        return _over(below, layer, children, planes, finish, means, seed)
    except AulmoError as error:
        return below._replace(faults={**below.faults, layer.id: str(error)})


def _over(below: Finished, layer: Layer, children: tuple[Layer, ...], planes: Planes, finish: Finish, means: Means, seed: int) -> Finished:
    rgb, alpha = below.rgb, below.alpha
    mask = mask_of(layer.masks, planes, rgb)
    shown: np.ndarray | float = layer.opacity if mask is None else mask * np.float32(layer.opacity)
    share = shown[..., None] if isinstance(shown, np.ndarray) else shown
    if layer.kind == "stack":
        made = below
        for child in children:
            made = _laid(made, child, (), planes, finish, means, seed)
        inside = blended(rgb, made.rgb, layer.blend, share) if made.rgb is not rgb else rgb
        return made._replace(rgb=inside, alpha=alpha + (made.alpha - alpha) * shown)
    if layer.kind == "grade":
        tables = below.tables
        changed = graded(rgb, layer.grade, seed)
        if changed is not rgb:
            rgb = blended(rgb, changed, layer.blend, share)
        if layer.grade.lut and means.blobs is not None:
            tables = (*tables, (read_cube(means.blobs(layer.grade.lut), layer.name), layer.grade.lut_strength * layer.opacity))
        return below._replace(rgb=rgb, tables=tables)
    above, own = _content(layer, planes, finish, rgb, means)
    if layer.blend == "over" and own is not None:  # premultiplied: what is there already shines through what is not covered
        rgb = blended(rgb, above + rgb * (1 - own[..., None]), "over", share)
        return below._replace(rgb=rgb, alpha=alpha + own * (1 - alpha) * shown)
    if own is not None and layer.kind in ("picture", "text"):  # nothing beside it
        own_share = own[..., None] * share
        return below._replace(rgb=blended(rgb, above / np.maximum(own[..., None], 1e-4), layer.blend, own_share))
    rgb = blended(rgb, np.asarray(above, np.float32), layer.blend, share)
    if layer.blend == "over" and layer.kind != "shadow":
        alpha = alpha + (1 - alpha) * shown
    return below._replace(rgb=rgb, alpha=alpha)


def displayed(finished: Finished, view: str) -> np.ndarray:
    """(h, w, 3) display values 0..1 of a finished picture, through the view and then its tables; where alpha is below one, of what is there."""
    light = finished.rgb
    if finished.alpha.min() < 0.9999:
        light = np.where(finished.alpha[..., None] < 0.9999, light / np.maximum(finished.alpha, 1e-4)[..., None], light)
    display = in_bands(np.ascontiguousarray(light, np.float32), lambda band: show(band, 1.0, view, exact=True))
    for table, strength in finished.tables:
        display = looked_up(display, table, strength)
    return np.clip(display, 0, 1)
