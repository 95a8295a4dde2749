"""Figures of the benchmark as they are told and kept, and the pace of the machine they were taken on."""

import json
import time
from pathlib import Path
from typing import Any, Callable

import numpy as np

LOOPS, FREE_SECONDS = 2_000_000, 0.12  # what `pace` runs, and how long that took while nothing else ran on the machine of the bars


def pace() -> float:
    """How fast the machine is just now, as a share of the free one on which the bars were set: a loop of Python, the median of three."""
    times = []
    for _ in range(3):
        started, total = time.perf_counter(), 0
        for k in range(LOOPS):
            total += k
        times.append(time.perf_counter() - started)
    return FREE_SECONDS / float(np.median(times))


def paced(work: Callable[[], Any]) -> tuple:
    """What `work()` returns, and the mean pace before and after it."""
    before = pace()
    found = work()
    return found, 0.5 * (before + pace())


class Figures:
    """Figures in the order they were taken; with a file to keep them, it holds all of them at any time."""

    def __init__(self, kept: Path | None = None) -> None:
        self.taken: list[dict[str, Any]] = []
        self._kept = kept

    def add(self, name: str, value: float, unit: str, compared_to: str, bar: str, met: bool | None) -> None:
        """Tell and keep one: what it is compared to in the same run, its bar, and whether that is met (None where there is none)."""
        verdict = "" if met is None else ("met" if met else "NOT met")
        print(f"{name:<48} {value:>9.3g} {unit:<9} {compared_to:<76} bar {bar:<8} {verdict}", flush=True)
        self.taken.append({
            "name": name, "value": round(float(value), 5), "unit": unit, "compared_to": compared_to, "bar": bar,
            "met": None if met is None else bool(met),
        })  # fmt: skip
        if self._kept is not None:
            self._kept.write_text(json.dumps({"figures": self.taken}, indent=1))

    def waited(self, name: str, seconds: float, speed: float, compared: str, most: float) -> None:
        """A wait, judged at full pace only."""
        told = f"at full pace; {seconds:.3g} s here at {speed:.2f} of it, {compared}"
        self.add(name, seconds * speed, "s", told, f"<= {most:g}", seconds * speed <= most)
