"""Small line plots as SVG for the documents: dark ink on white, one line each, named at their ends."""

import math
from pathlib import Path

INKS = ("#8e3b68", "#3d5a80", "#6b7f3a", "#b07a1e", "#7a4a2b", "#4a4a4a")
W, H, LEFT, RIGHT, TOP, LOW = 560, 320, 62, 130, 34, 44


def _ticks(low: float, high: float, log: bool) -> list[float]:
    if log:
        return [10.0**k for k in range(math.ceil(math.log10(low) - 1e-9), math.floor(math.log10(high) + 1e-9) + 1)]
    span = high - low
    step = 10.0 ** math.floor(math.log10(span / 4))
    step *= next(f for f in (1, 2, 5, 10) if span / (step * f) <= 6)
    first = math.ceil(low / step - 1e-9) * step
    return [first + k * step for k in range(int((high - first) / step + 1e-6) + 1)]


def plot(path: Path, title: str, x_name: str, y_name: str, lines: dict, log_x=False, log_y=False, dots=(), y_range=None) -> None:
    """Write one plot. `lines` maps names to (xs, ys); those named in `dots` are drawn as points."""
    xs = [x for a, _ in lines.values() for x in a]
    ys = [y for _, b in lines.values() for y in b]
    x0, x1 = min(xs), max(xs)
    y0, y1 = y_range or (min(ys), max(ys))
    if not log_y and y_range is None:
        pad = 0.06 * (y1 - y0 or 1)
        y0, y1 = y0 - pad, y1 + pad

    def place(x: float, y: float) -> tuple[float, float]:
        fx = (math.log(x / x0) / math.log(x1 / x0)) if log_x else (x - x0) / (x1 - x0)
        fy = (math.log(y / y0) / math.log(y1 / y0)) if log_y else (y - y0) / (y1 - y0)
        return LEFT + fx * (W - LEFT - RIGHT), H - LOW - fy * (H - TOP - LOW)

    out = [f'<svg xmlns="http://www.w3.org/2000/svg" width="{W}" height="{H}" font-family="IBM Plex Sans, sans-serif" font-size="11">']
    out.append(f'<rect width="{W}" height="{H}" fill="#ffffff"/><text x="{LEFT}" y="18" font-size="13" font-weight="600">{title}</text>')
    for value in _ticks(x0, x1, log_x):
        x, _ = place(value, y0)
        out.append(f'<line x1="{x:.1f}" y1="{TOP}" x2="{x:.1f}" y2="{H - LOW}" stroke="#e4e4e4"/>')
        out.append(f'<text x="{x:.1f}" y="{H - LOW + 15}" text-anchor="middle" fill="#555">{value:g}</text>')
    for value in _ticks(y0, y1, log_y):
        _, y = place(x0, value)
        out.append(f'<line x1="{LEFT}" y1="{y:.1f}" x2="{W - RIGHT}" y2="{y:.1f}" stroke="#e4e4e4"/>')
        out.append(f'<text x="{LEFT - 6}" y="{y + 4:.1f}" text-anchor="end" fill="#555">{value:g}</text>')
    out.append(f'<text x="{(LEFT + W - RIGHT) / 2}" y="{H - 8}" text-anchor="middle">{x_name}</text>')
    out.append(f'<text transform="translate(14 {(TOP + H - LOW) / 2}) rotate(-90)" text-anchor="middle">{y_name}</text>')
    ends: list[float] = []
    for k, (name, (a, b)) in enumerate(lines.items()):
        ink = INKS[k % len(INKS)]
        points = [place(x, y) for x, y in zip(a, b)]
        if name in dots:
            out += [f'<circle cx="{x:.1f}" cy="{y:.1f}" r="3" fill="{ink}"/>' for x, y in points]
        else:
            path_ = " ".join(f"{x:.1f},{y:.1f}" for x, y in points)
            out.append(f'<polyline points="{path_}" fill="none" stroke="{ink}" stroke-width="1.6"/>')
        y = points[-1][1] + 4
        while any(abs(y - other) < 13 for other in ends):
            y += 13
        ends.append(y)
        out.append(f'<text x="{W - RIGHT + 6}" y="{y:.1f}" fill="{ink}">{name}</text>')
    out.append("</svg>")
    Path(path).write_text("\n".join(out))
