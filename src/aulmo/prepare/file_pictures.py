"""What a mesh file says of the pictures of a material, as nodes that lead the surface.

Readers describe each in plain words (they run in a process of their own): `Lead` as a dict.
"""

from typing import Any, NamedTuple, Sequence

from msgspec.structs import replace

from aulmo.document.records import Adjust, Lay, Material, Node, Triple
from aulmo.surface.colour import from_srgb


class Lead(NamedTuple):
    """A picture that leads a parameter: `image` is its number among the file's pictures, None when it is missing; `file` its name, `ending` its kind.

    `colour` : its values are colours of a display. `factor` multiplies it, a number or linear sRGB. `low`, `high` : what its 0 and 1 become.
    `cut` : where alpha is cut off sharply. `strength` is that of a normal map; `mm` the height of a relief. `transform` : of the file's coordinates,
    times across and down, degrees, shifts across and down.
    """

    target: str
    image: int | None
    file: str = ""
    ending: str = ""
    channel: str = "solid"
    colour: bool = False
    factor: Any = None
    low: float = 0.0
    high: float = 1.0
    cut: float | None = None
    strength: float = 1.0
    mm: float = 0.0
    green_down: bool = False
    transform: Sequence[float] = (1.0, 1.0, 0.0, 0.0, 0.0)


def wired(material: Material, leads: Sequence[dict], assets: Sequence[str | None]) -> Material:
    """A material with a file's pictures leading it, laid by the file's coordinates. `assets` names the picture of each lead, None for missing."""
    lays: dict[tuple, Lay] = {}
    nodes: list[Node] = []
    wires: dict[str, str] = {}
    for told, asset in zip(leads, assets):
        one = Lead(**told)
        key = tuple(float(v) for v in one.transform)
        if key not in lays:
            name = "lay" if not lays else f"lay-{len(lays) + 1}"
            lays[key] = Lay(id=name, projection="uv", repeat_x=key[0], repeat_y=key[1], rotate=key[2], shift_x=key[3], shift_y=key[4])
        name = one.target.replace("_", "-")
        adjust = Adjust(low=one.cut - 0.004, high=one.cut + 0.004) if one.cut is not None else Adjust()
        channel: Any = one.channel
        strength: dict = {"strength": one.strength} if one.strength != 1.0 else {}
        nodes.append(
            Node(
                id=name, kind="image", image=asset, file=one.file, as_colour=one.colour, channel=channel, green_down=one.green_down,
                lay=lays[key].id, adjust=adjust, inputs=strength,
            )
        )  # fmt: skip
        led = name
        if one.mm or (one.low, one.high) != (0.0, 1.0):
            low, high = (0.0, one.mm) if one.mm else (one.low, one.high)
            nodes.append(Node(id=f"{name}-range", kind="range", inputs={"in": f"@{led}", "outlow": low, "outhigh": high}))
            led = f"{name}-range"
        factor = _factor(one.factor)
        if factor is not None:
            nodes.append(Node(id=f"{name}-times", kind="multiply", inputs={"in1": f"@{led}", "in2": factor}))
            led = f"{name}-times"
        wires[one.target] = led
    return replace(material, nodes=tuple(nodes), wires=wires, lays=tuple(lays.values())) if nodes else material


def _factor(factor: Any) -> float | Triple | None:
    if factor is None:
        return None
    if isinstance(factor, (int, float)):
        return None if abs(factor - 1.0) < 1e-6 else float(factor)
    r, g, b = from_srgb([max(0.0, float(v)) for v in factor])
    return None if max(abs(v - 1.0) for v in (r, g, b)) < 1e-4 else (float(r), float(g), float(b))
