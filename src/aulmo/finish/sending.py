"""The balance of a finish written back to the lights of the scene, so that the next render is as the picture was balanced."""

import numpy as np
from msgspec.structs import replace

from aulmo.document.finish_records import Balance, Finish
from aulmo.document.quantity import counted
from aulmo.document.records import Document
from aulmo.errors import BadValue
from aulmo.finish.composing import is_neutral


def _times(one: tuple[float, float, float], other: tuple[float, float, float]) -> tuple[tuple[float, float, float], float]:
    """The product of two colours, none of it over 1, and the stops by which it then is brighter."""
    whole = np.array(one, float) * np.array(other, float)
    most = max(1.0, float(whole.max()))
    r, g, b = (float(v) for v in whole / most)
    return (r, g, b), float(np.log2(most))


def sent(document: Document, finish: Finish) -> tuple[Document, str]:
    """The document whose lights are as a finish balances them, the finish without that balance, and what was done in words. The dome takes
    brightness alone: a colour stays in the balance. Raises BadValue where there is nothing to send."""
    changed = {name: b for name, b in finish.balance.items() if not is_neutral(b)}
    left: dict[str, Balance] = {}
    lamps, boxes, materials = dict(document.lamps), list(document.environment.softboxes), dict(document.materials)
    environment = document.environment
    done = 0
    for name, b in changed.items():
        here = 0
        for lamp in [x for x in lamps.values() if x.group == name]:
            colour, more = _times(lamp.colour, b.colour)
            lamps[lamp.id] = replace(lamp, stops=lamp.stops + b.stops + more, colour=colour, on=lamp.on and b.on)
            here += 1
        for k, box in enumerate(boxes):
            if (box.group or box.name) == name:
                colour, more = _times(box.colour, b.colour)
                boxes[k] = replace(box, stops=box.stops + b.stops + more, colour=colour, on=box.on and b.on)
                here += 1
        if name == "Glow":
            for material in [m for m in materials.values() if m.surface.emission_luminance > 0]:
                colour, more = _times(material.surface.emission_color, b.colour)
                nits = material.surface.emission_luminance * 2.0 ** (b.stops + more) if b.on else 0.0
                materials[material.id] = replace(material, surface=replace(material.surface, emission_luminance=nits, emission_color=colour))
                here += 1
        if name == "Environment":
            environment = replace(environment, exposure=environment.exposure + b.stops if b.on else -20.0)
            here += 1
            if b.colour != (1.0, 1.0, 1.0):
                left[name] = Balance(colour=b.colour)
        if not here:
            left[name] = b
        done += here
    if not done:
        raise BadValue("None of the lights that are balanced is in this scene.")
    environment = replace(environment, softboxes=tuple(boxes))
    finishes = {**document.finishes, finish.id: replace(finish, balance=left)}
    made = replace(document, lamps=lamps, environment=environment, materials=materials, finishes=finishes)
    words = f"{counted(done, 'light')} changed; render again to see it"
    return made, words + (f" · {', '.join(left)} stays here" if left else "")
