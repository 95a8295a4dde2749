"""Carrying projects of earlier formats over into today's. Each step turns the plain JSON of one version into that of the next."""

from typing import Any, Callable

PASSES_1 = ("paths", "groups", "surface", "shadow", "occlusion", "motion", "mattes", "noise")
VIEWS_1 = ("Product neutral", "Film", "Plain")
_FLOOR_1 = {"kind": "plain", "material": None, "height": 0.0, "turn": 0.0}
_BACKDROP_1 = {"kind": "environment", "top": [0.35, 0.35, 0.35], "bottom": [0.12, 0.12, 0.12]}


def _from_1(raw: dict[str, Any]) -> dict[str, Any]:
    """Timed placements and views become keys; a shot's own floor and backdrop become what differs in it."""
    keys: dict[str, list] = {}

    def key(address: str, held: list[dict], value: Callable[..., Any]) -> None:
        if held:
            keys[address] = [{"time": k["time"], "value": value(k)} for k in held]

    for part_id, part in raw.get("parts", {}).items():
        held = part.pop("motion", [])
        for field, start in (("position", [0.0, 0.0, 0.0]), ("turn", [0.0, 0.0, 0.0]), ("scale", [1.0, 1.0, 1.0])):
            if any(k.get("placement", {}).get(field, start) != part.get("placement", {}).get(field, start) for k in held):
                key(f"parts/{part_id}/placement/{field}", held, lambda k, f=field, d=start: k.get("placement", {}).get(f, d))
    for camera_id, camera in raw.get("cameras", {}).items():
        held = camera.pop("motion", [])
        key(f"cameras/{camera_id}/position", held, lambda k: k["position"])
        key(f"cameras/{camera_id}/target", held, lambda k: k["target"])
        key(f"cameras/{camera_id}/roll", held, lambda k: k.get("roll", 0.0))
    for shot in raw.get("shots", []):
        overrides = {}
        defaults: dict[str, Any]
        for name, defaults in (("floor", _FLOOR_1), ("backdrop", _BACKDROP_1)):
            own = shot.pop(name, None)
            if own is not None:
                base = raw.get(name, {})
                for field, default in defaults.items():
                    value = own.get(field, default)
                    if value != base.get(field, default):
                        overrides[f"{name}/{field}"] = value
        if overrides:
            shot["overrides"] = overrides
        if shot.get("view") not in VIEWS_1:  # version 1 took any name and showed the first view
            shot.pop("view", None)
    if "passes" in raw.get("render", {}):
        raw["render"]["passes"] = [p for p in raw["render"]["passes"] if p in PASSES_1]
    if keys:
        raw["keys"] = keys
    return raw


_RENAMED_2 = {
    "mix": {"first": "bg", "second": "fg", "amount": "mix"}, "add": {"first": "in1", "second": "in2"}, "multiply": {"first": "in1", "second": "in2"},
    "remap": {"value": "in", "in_low": "inlow", "in_high": "inhigh", "out_low": "outlow", "out_high": "outhigh"}, "invert": {"value": "in"},
}  # fmt: skip
_DEFAULTS_2: dict[str, dict[str, Any]] = {
    "mix": {"second": [1.0, 1.0, 1.0], "amount": 0.5}, "multiply": {"first": [1.0, 1.0, 1.0]}, "remap": {"value": [0.5, 0.5, 0.5]},
    "invert": {"value": [0.5, 0.5, 0.5]},
}  # fmt: skip
_KINDS_2 = {"remap": "range", "facing": "facingratio"}


def _from_2(raw: dict[str, Any]) -> dict[str, Any]:
    """Nodes that the MaterialX standard has take its names."""
    for material in raw.get("materials", {}).values():
        for node in material.get("nodes", []):
            kind, inputs = node.get("kind"), node.get("inputs", {})
            if kind in _RENAMED_2:
                had = {**_DEFAULTS_2.get(kind, {}), **inputs}
                node["inputs"] = {_RENAMED_2[kind].get(key, key): value for key, value in had.items()}
            node["kind"] = _KINDS_2.get(kind, kind)
    return raw


def _from_3(raw: dict[str, Any]) -> dict[str, Any]:
    """Sun and sky become one of several grounds of the dome."""
    environment = raw.get("environment", {})
    if environment.get("sky") is not None:
        environment["kind"] = "sky"
    else:
        environment.pop("sky", None)
    return raw


def _from_4(raw: dict[str, Any]) -> dict[str, Any]:
    """Photographs, lenses that bend and white balance came; what was there before stays as it is."""
    return raw


def _from_5(raw: dict[str, Any]) -> dict[str, Any]:
    """Motions and the reel came; keys go evenly, as they did."""
    return raw


def _from_6(raw: dict[str, Any]) -> dict[str, Any]:
    """Axes and choices came; a project without them is its own base."""
    return raw


def _from_7(raw: dict[str, Any]) -> dict[str, Any]:
    """Finishes came to hold pictures, brushes and a reference; where a shape stands has words of its own."""
    for finish in raw.get("finishes", {}).values():
        for layer in finish.get("layers", []):
            for mask in layer.get("masks", []):
                for old, new in (("x", "across"), ("y", "down")):
                    if old in mask:
                        mask[new] = mask.pop(old)
    return raw


def _from_8(raw: dict[str, Any]) -> dict[str, Any]:
    """Sources came to know what was in their file; of earlier ones that is not known."""
    return raw


def _from_9(raw: dict[str, Any]) -> dict[str, Any]:
    """Parts came to remember what was mended on them, sources what they said; of earlier ones what is there now is taken for it."""
    return raw


_STEPS = {1: _from_1, 2: _from_2, 3: _from_3, 4: _from_4, 5: _from_5, 6: _from_6, 7: _from_7, 8: _from_8, 9: _from_9}


def carried(raw: dict[str, Any], version: int, to: int) -> dict[str, Any]:
    """The plain JSON of a document of an earlier version as today's."""
    for step in range(version, to):
        raw = _STEPS[step](raw)
    raw["schema_version"] = to
    return raw
