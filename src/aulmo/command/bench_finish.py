"""What a finish costs: eight layers over a picture of 1600x1200, whole and as the window looks at it, one changed, and memory at 8192 x 8192."""

import subprocess
import sys
import time
from typing import Any, Callable

import numpy as np
from msgspec.structs import replace

from aulmo.command.pace import Figures, paced
from aulmo.document.finish_records import Finish, Grade, HueBand, Layer, Mask
from aulmo.finish.composing import Kept, composed, displayed
from aulmo.finish.measuring import measured
from aulmo.finish.planes import Planes, of_arrays, reduced

SEEN = (704, 528)  # pixels of the frame in a window of 1280x800


def planes(width: int = 1600, height: int = 1200) -> Planes:
    """A made-up render over eight stops, with a matte and two lights."""
    from aulmo.trace.passes import matte_float

    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    tones = np.exp2(2.5 * np.sin(x / width * 17) * np.cos(y / height * 13) - 2.2)
    rgb = np.stack([tones * (1 + 0.3 * np.sin(x / 90)), tones, tones * (1 + 0.3 * np.cos(y / 70))], -1).astype(np.float32)
    rgb[height // 3 : height // 3 + 20, width // 3 : width // 3 + 20] = 12
    inside = (np.hypot(x - width / 2, y - height / 2) < height / 4).astype(np.float32)
    matte = np.stack([np.full_like(inside, matte_float("Part")), inside, 0 * inside, 0 * inside], -1)
    return of_arrays({"rgb": rgb, "group.Key": rgb * np.float32(0.7), "group.Rim": rgb * np.float32(0.3), "MattePart00": matte})


def eight() -> Finish:
    """Eight layers as a hero has them: grades whole and masked, a light, a gradient, film."""
    part, oval = Mask("p", "part", names=("Part",)), Mask("o", "ellipse", feather=60.0)
    return Finish("f", layers=(
        Layer("1", "Whole", grade=Grade(exposure=0.2, contrast=0.15, highlights=-0.2, shadows=0.15, kelvin=6100.0, saturation=0.1)),
        Layer("2", "Key", "group", source="Key", blend="add", opacity=0.2),
        Layer("3", "Part", grade=Grade(exposure=0.2, saturation=0.1), masks=(part,)),
        Layer("4", "Hues", grade=Grade(hues=(HueBand(30.0, 60.0, 4.0, 0.1),))),
        Layer("5", "Oval", grade=Grade(exposure=0.3, kelvin=5600.0), masks=(oval,)),
        Layer("6", "Curve", grade=Grade(curve=((0.25, 0.22), (0.7, 0.74)), shade=(0.97, 1.0, 1.03))),
        Layer("7", "Dusk", "gradient", blend="multiply", colour=(0.8, 0.8, 0.8), colour_to=(1.0, 1.0, 1.0)),
        Layer("8", "Film", grade=Grade(glow=0.2, sharpen=0.3, vignette=0.6, grain=0.03)),
    ))  # fmt: skip


def whole_seconds() -> float:
    """All of it, to display values."""
    held = planes()
    return _best(lambda: displayed(composed(held, eight()), "Product neutral"))


def seen_seconds() -> dict[str, float]:
    """As the window does it: all anew; the topmost grade pulled; the lowest pulled; the scopes alone."""
    small = reduced(planes(), *SEEN)
    small.matte("part", "Part")
    kept = Kept()
    finish = eight()
    composed(small, finish, kept=kept)

    def pulled(at: int) -> Callable[[], Any]:
        def work() -> Any:
            nonlocal finish
            layers = list(finish.layers)
            grade = layers[at].grade
            layers[at] = replace(layers[at], grade=replace(grade, exposure=grade.exposure + 0.01))
            finish = replace(finish, layers=tuple(layers))
            return displayed(composed(small, finish, kept=kept), "Product neutral")

        return work

    coarse = reduced(small, SEEN[0] // 3, SEEN[1] // 3)
    coarse.matte("part", "Part")
    shown = displayed(composed(small, finish), "Product neutral")
    return {
        "all anew": _best(lambda: displayed(composed(small, eight()), "Product neutral")), "topmost pulled": _best(pulled(7)),
        "lowest pulled": _best(pulled(0)),
        "coarse, as it is shown first": _best(lambda: displayed(composed(coarse, eight()), "Product neutral")),
        "scopes": _best(lambda: measured(shown)),
    }  # fmt: skip


def memory_gb(side: int = 8192) -> float:
    """The most memory that finishing a square picture takes, in a process of its own, in GB."""
    code = f"""
import resource
from aulmo.command.bench_finish import planes, eight
from aulmo.finish.composing import composed, displayed
displayed(composed(planes({side}, {side}), eight()), "Product neutral")
print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6)
"""
    return float(subprocess.run([sys.executable, "-c", code], check=True, capture_output=True, text=True).stdout.split()[-1])


def _best(work: Callable[[], Any], times: int = 3) -> float:
    found = []
    for _ in range(times):
        started = time.perf_counter()
        work()
        found.append(time.perf_counter() - started)
    return min(found)


def run(told: Figures) -> None:
    """Measure and tell."""
    seconds, speed = paced(whole_seconds)
    told.waited("Eight layers at 1600x1200, whole", seconds, speed, "to display values", 1.0)
    found, speed = paced(seen_seconds)
    for name, value in found.items():
        told.waited(f"Eight layers to the window, {name}", value, speed, f"{SEEN[0]}x{SEEN[1]}", 0.1)
    memory = memory_gb()
    told.add("Memory of eight layers at 8192 x 8192", memory, "GB", "own process, planes of 10 channels included", "<= 16", memory <= 16)
