"""Write docs/figures.md and its plots from `./aulmo bench --json FILE`: `python tools/write_figures.py FILE`."""

import json
import re
import sys
from datetime import date
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))
from plot import plot  # noqa: E402

OUT = Path("docs/figures")


def series(figures: list[dict], pattern: str) -> tuple[list[float], list[float]]:
    """Numbers in the names that match, with their values."""
    xs, ys = [], []
    for f in figures:
        found = re.fullmatch(pattern, f["name"])
        if found:
            xs.append(float(found[1].replace(",", "")))
            ys.append(f["value"])
    return xs, ys


def main() -> None:
    """The page."""
    figures = json.loads(Path(sys.argv[1]).read_text())["figures"]
    OUT.mkdir(parents=True, exist_ok=True)
    for name, title, pattern, what in (
        ("triangles", "Cost of a pixel's sample over triangles", r"A pixel's sample with ([\d,]+) triangles", "triangles"),
        ("lamps", "Cost of a pixel's sample over lamps", r"A pixel's sample with ([\d,]+) lamps", "lamps"),
        ("samples", "Cost of a pixel's sample over samples", r"A pixel's sample with ([\d,]+) samples", "samples of one pass"),
        ("pixels", "Cost of a pixel's sample over the frame's width", r"A pixel's sample at (\d+)x\d+", "pixels across"),
    ):
        xs, ys = series(figures, pattern)
        plot(OUT / f"{name}.svg", title, what, "ns, all cores", {"measured": (xs, ys)}, log_x=True, y_range=(0, 1.15 * max(ys)))
    lines = [
        "# Figures", "",
        f"Printed by `./aulmo bench` on a shared two-core machine on {date.today()}, of whose processors other work takes a changing share: ratios "
        "hold better than seconds; the last section tells what the day was like.", "", "| what | value | compared to | bar | met |", "|---|---|---|---|---|",
    ]  # fmt: skip
    for f in figures:
        met = {True: "yes", False: "**no**", None: ""}[f["met"]]
        lines.append(f"| {f['name']} | {f['value']:.4g} {f['unit']} | {f['compared_to']} | {f['bar']} | {met} |")
    lines += [
        "",
        "![triangles](figures/triangles.svg)",
        "",
        "![lamps](figures/lamps.svg)",
        "",
        "![samples](figures/samples.svg)",
        "",
        "![pixels](figures/pixels.svg)",
        "",
    ]
    extra = Path("docs/figures-profile.md")
    if extra.exists():
        lines += extra.read_text().splitlines() + [""]
    Path("docs/figures.md").write_text("\n".join(lines))


if __name__ == "__main__":
    main()
