"""The stack of a finish: layers made, put in order, taken out; what a finish asks of a render."""

from typing import Any, Iterable, Sequence

import msgspec
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.finish_records import Finish, Grade, Layer

NAMES = {
    "grade": "Grade", "render": "Render", "group": "Light", "pass": "Pass", "shadow": "Shadow", "photograph": "Photograph", "picture": "Picture",
    "text": "Text", "colour": "Colour", "gradient": "Gradient", "stack": "Group",
}  # fmt: skip
_BEGINS: dict[str, dict[str, Any]] = {
    "group": {"blend": "add"}, "pass": {"blend": "over"}, "text": {"source": "Odrel", "width": 0.3, "down": 0.9, "colour": (0.8, 0.8, 0.8)},
    "shadow": {"colour": (0.0, 0.0, 0.0), "soften": 6.0}, "gradient": {"blend": "multiply", "colour": (0.6, 0.6, 0.6), "colour_to": (1.0, 1.0, 1.0)},
}  # fmt: skip
# where masks of a kind begin
STARTS: dict[str, dict[str, Any]] = {
    "ellipse": {"width": 0.5, "height": 0.5, "feather": 60.0}, "rectangle": {"width": 0.5, "height": 0.5, "feather": 20.0},
    "gradient": {"width": 1.0, "height": 0.5}, "luminance": {"low": 0.5, "high": 100.0, "soft": 0.3}, "hue": {"low": 0.0, "high": 60.0, "soft": 20.0},
    "facing": {"low": 0.5, "high": 1.0, "soft": 0.3}, "depth": {"low": 0.0, "high": 1000.0, "soft": 100.0},
}  # fmt: skip


def fresh(finish: Finish, kind: str, name: str = "", **fields: Any) -> Layer:
    """A new layer of a kind as it begins, of a name that is free."""
    name = edits.free_name(name or NAMES[kind], (layer.name for layer in finish.layers))
    return Layer(edits.new_id(), name, kind, **{**_BEGINS.get(kind, {}), **fields})  # type: ignore[arg-type]


def added(finish: Finish, layer: Layer, over: str = "") -> Finish:
    """A layer over another, within the same group, or on top; in a group that is named by `over` on top within it."""
    layers = list(finish.layers)
    below = next((x for x in layers if x.id == over), None)
    if below is None:
        return replace(finish, layers=(*layers, layer))
    inside = below.id if below.kind == "stack" and layer.kind != "stack" else below.inside if layer.kind != "stack" else ""
    at = layers.index(below) + 1
    return in_order(replace(finish, layers=(*layers[:at], replace(layer, inside=inside), *layers[at:])))


def in_order(finish: Finish) -> Finish:
    """The layers of a group right below it, whatever order they came in; what names a group that is not there stands by itself."""
    groups = {x.id for x in finish.layers if x.kind == "stack"}
    whole: list[Layer] = []
    for layer in finish.layers:
        if layer.inside and (layer.inside not in groups or layer.kind == "stack"):
            layer = replace(layer, inside="")
        if layer.inside:
            continue
        if layer.kind == "stack":
            whole += [x for x in finish.layers if x.inside == layer.id and x.kind != "stack"]
        whole.append(layer)
    return replace(finish, layers=tuple(whole))


def moved(finish: Finish, wanted: Sequence[tuple[str, str]]) -> Finish:
    """The layers in an order, the lowest first, by id and the group each is in."""
    held = {x.id: x for x in finish.layers}
    found = [replace(held.pop(i), inside=inside) for i, inside in wanted if i in held]
    return in_order(replace(finish, layers=(*found, *held.values())))


def without(finish: Finish, layer_id: str) -> Finish:
    """A finish without a layer, and without what is in it."""
    return replace(finish, layers=tuple(x for x in finish.layers if x.id != layer_id and x.inside != layer_id))


def duplicated(finish: Finish, layer_id: str) -> tuple[str, Finish]:
    """A layer once more over itself, with what is in it; the id of the new one."""
    one = next(x for x in finish.layers if x.id == layer_id)
    copy = lambda x, **more: replace(x, id=edits.new_id(), masks=tuple(replace(m, id=edits.new_id()) for m in x.masks), **more)  # noqa: E731
    top = copy(one, name=edits.free_name(one.name, (x.name for x in finish.layers)))
    children = [copy(x, inside=top.id) for x in finish.layers if x.inside == one.id]
    at = finish.layers.index(one) + 1
    return top.id, in_order(replace(finish, layers=(*finish.layers[:at], *children, top, *finish.layers[at:])))


def passes_of(finish: Finish, always: Iterable[str] = ()) -> tuple[str, ...]:
    """The sets of passes that a finish asks of a render, and those that are always wanted."""
    from aulmo.trace.passes import SETS, USES

    masks = [mask for layer in finish.layers for mask in layer.masks]
    kinds, layers = {mask.kind for mask in masks}, {layer.kind for layer in finish.layers}
    if "pass" in layers:
        return USES["everything"][1]
    wanted = set(always)
    if finish.balance or "group" in layers:
        wanted.add("groups")
    if kinds & {"part", "group", "material", "decal"} or any(mask.follows for mask in masks):
        wanted.add("mattes")
    if kinds & {"depth", "facing"} or any(mask.feather_mm > 0 for mask in masks):
        wanted.add("surface")
    if "shadow" in kinds or "shadow" in layers:
        wanted.add("shadow")
    return tuple(name for name in SETS if name in wanted)


def set_in(layer: Layer) -> list[str]:
    """What keys of a layer as a whole are of, by address below it: its opacity, and the numbers of its grade that do something."""
    neutral = Grade()
    numbers = [f.name for f in msgspec.structs.fields(Grade) if isinstance(getattr(neutral, f.name), float)]
    return ["opacity", *(f"grade/{name}" for name in numbers if getattr(layer.grade, name) != getattr(neutral, name))]


def told(layer: Layer) -> str:
    """What a layer is, in words: its kind or light, how it lies, its masks."""
    words = {"group": f"light {layer.source}", "pass": f"pass {layer.source}", "stack": "group"}.get(layer.kind, layer.kind)
    if layer.kind == "render":
        words = "render · alpha over" if layer.blend == "over" else "render"
    if layer.blend != "over":
        words += f" · {layer.blend}"
    if layer.masks:
        words += f" · mask: {', '.join(map(_of_mask, layer.masks))}"
    return words


def _of_mask(mask: Any) -> str:
    if mask.names:
        return mask.names[0] if len(mask.names) == 1 else f"{mask.names[0]} and {len(mask.names) - 1}"
    return mask.kind
