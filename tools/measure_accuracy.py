"""Measure the renderer against closed forms and write docs/accuracy.md with its plots. Run with PYTHONPATH=src."""

import math
import sys
from pathlib import Path

import numpy as np
from msgspec.structs import replace

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "trace"))
sys.path.insert(0, str(Path(__file__).parent))

from plot import plot  # noqa: E402
from test_lamps import lux, many, nits  # noqa: E402
from test_motion import moving, still  # noqa: E402
from test_volumes import WAX, matrix_method, stacked, through  # noqa: E402

from aulmo.command import bench  # noqa: E402
from aulmo.document import edits  # noqa: E402
from aulmo.document.records import Camera, Lamp, Placement, RenderSettings, Surface  # noqa: E402
from aulmo.light.photometry import flux_of  # noqa: E402
from aulmo.surface import spectrum  # noqa: E402
from aulmo.trace.material import thin_film  # noqa: E402
from aulmo.trace.material.spectrum import draw_wavelength, ior_at  # noqa: E402
from aulmo.trace.tracer import denoise, render  # noqa: E402
from lobes import KINDS, furnace, row_of  # noqa: E402
from shapes import box_mesh, one_part, sphere_mesh  # noqa: E402
from tracing import NITS, Dark, UniformDome, look_down, trace  # noqa: E402

OUT = Path("docs/accuracy")
ROWS: list[tuple[str, str, str, str]] = []


def note(what: str, measured: str, expected: str, error: str) -> None:
    """One line of the table."""
    ROWS.append((what, measured, expected, error))
    print(f"{what:<58} {measured:>14} {expected:>14}  {error}", flush=True)


def compare(what: str, measured: float, expected: float, unit: str = "") -> None:
    """One line from two numbers."""
    note(what, f"{measured:.5g} {unit}", f"{expected:.5g} {unit}", f"{100 * (measured / expected - 1):+.2f} %")


def energy() -> None:
    """White furnace for every kind over the angle."""
    lines = {}
    mus = np.linspace(0.08, 0.99, 14)
    worst = 0.0
    for kind in ("matt", "gloss plastic", "rough metal", "frosted glass", "satin coat", "velvet"):
        row = row_of(KINDS[kind])
        values = [furnace(*row, float(mu), False, 1 << 15) for mu in mus]
        lines[kind] = (mus, values)
    for kind in KINDS:
        row = row_of(KINDS[kind])
        for mu in (0.15, 0.5, 0.95):
            worst = max(worst, abs(furnace(*row, mu, False, 1 << 15) - 1))
    plot(OUT / "furnace.svg", "White furnace: light given back of 1", "cosine of the view", "given back", lines, y_range=(0.96, 1.04))
    note(f"White furnace, worst of {len(KINDS)} kinds", f"{100 * worst:.2f} %", "0", "")


def lamps() -> None:
    """Irradiance against closed forms over the distance."""
    distances = np.geomspace(40, 4000, 9)
    lines: dict = {}
    forms = {
        "disc": (lambda d: math.pi * 1000 * 100**2 / (100**2 + d * d), {"kind": "disc", "width": 200}),
        "ball": (lambda d: math.pi * 1000 * (30 / d) ** 2, {"kind": "sphere", "width": 60}),
        "rectangle": (_rectangle, {"kind": "rectangle", "width": 200, "height": 100}),
    }
    worst = 0.0
    for name, (form, lamp) in forms.items():
        found = [lux(nits(position=(0, 0, float(d)), **lamp), count=1 << 13) for d in distances]
        exact = [form(d) for d in distances]
        worst = max(worst, max(abs(a / b - 1) for a, b in zip(found, exact)))
        lines[f"{name}, exact"] = (distances, exact)
        lines[name] = (distances, found)
    plot(OUT / "lamps.svg", "Lux under lamps of 1000 nits", "distance, mm", "lux", lines, True, True, dots=tuple(forms))
    note("Lux from disc, ball, rectangle at nine distances, worst", f"{100 * worst:.2f} %", "0", "")
    ball = nits(kind="sphere", width=60, power=1000.0, unit="lumen", position=(0, 0, 2000))
    compare("1000-lumen ball of 60 mm, lux at 2 m", lux(ball), 1000 / (4 * math.pi) / 4, "lux")
    compare("500 candela point lamp at 2.5 m", lux(nits(kind="point", width=0, power=500.0, unit="candela", position=(0, 0, 2500))), 80.0, "lux")
    compare(
        "Distant lamp of 5000 lux, 60 degrees aslant", lux(nits(kind="distant", power=5000.0, unit="lux", angle=0.5, turn=(60, 0, 0))), 2500, "lux"
    )
    cosine = np.repeat(np.clip(np.cos(np.radians(np.arange(181))), 0, None)[:, None], 361, 1)
    compare("Flux of a Lambertian profile of one candela", flux_of(cosine), math.pi, "lm")
    each = sum(lux(lamp, count=1 << 12) for lamp in many(12))
    compare("Twelve lamps chosen by the tree against their sum", lux(*many(12), count=1 << 17), each, "lux")


def _rectangle(d: float) -> float:
    p, q = 100 / d, 50 / d
    corner = p / math.hypot(1, p) * math.atan(q / math.hypot(1, p)) + q / math.hypot(1, q) * math.atan(p / math.hypot(1, q))
    return 4 * 1000 / 2 * corner


def below() -> None:
    """Random walk against the albedo asked for and against diffusion."""
    asked = np.array([0.05, 0.2, 0.35, 0.5, 0.65, 0.8, 0.95])
    lines: dict = {"asked for": (asked, asked)}
    for g in (0.0, 0.7):
        found = []
        for colour in asked:
            wax = replace(WAX, subsurface_color=(float(colour),) * 3, subsurface_radius=0.5, subsurface_scatter_anisotropy=g)
            document, assets = one_part(box_mesh(400.0), wax)
            document = replace(document, cameras={"c": look_down(500.0)})
            frame, _ = trace(document, assets, (12, 12), 256, UniformDome, RenderSettings(scatters=4096, clamp_stops=0))
            found.append(float(frame.rgb.mean() / NITS))
        lines[f"walk, g = {g:g}"] = (asked, found)
        worst = float(np.abs(np.array(found) - asked).max())
        note(f"Below the surface: albedo of a deep body, g = {g:g}, worst", f"{worst:.3f}", "0", "van de Hulst's fit")
    plot(OUT / "subsurface.svg", "Random walk: albedo of a half space", "colour asked for", "measured", lines, dots=("walk, g = 0", "walk, g = 0.7"))
    wax = replace(WAX, subsurface_color=(0.8,) * 3, subsurface_radius=1.0)
    document, assets = one_part(box_mesh(200.0), wax)
    spot = Lamp(id="l", name="l", kind="spot", position=(0, 0, 1100), width=0, cone=0.06, softness=0.0, power=1e6, unit="candela")
    camera = Camera(id="c", name="c", position=(0, 0, 400), target=(0, 0, 100), projection="parallel", span_mm=32.0, shutter=1 / 15)
    document = replace(document, lamps={"l": spot}, cameras={"c": camera})
    light = np.mean([trace(document, assets, (64, 64), 1500, Dark, RenderSettings(clamp_stops=30, seed=k))[0].rgb[..., 1] for k in range(8)], 0)
    y, x = np.mgrid[:64, :64]
    away = np.hypot(x - 31.5, y - 31.5) * 0.5
    r = np.arange(3, 14, 1.0)
    found = np.array([light[(away >= d - 0.5) & (away < d + 0.5)].mean() for d in r])
    from aulmo.trace.material.medium import scattering_albedo

    mu = math.sqrt(3 * (1 - scattering_albedo(0.8, 0.0)))
    theory = (mu + 1 / r) / r**2 * np.exp(-mu * r)
    theory *= found[3] / theory[3]
    lines = {"diffusion": (r, theory), "walk": (r, found)}
    plot(
        OUT / "diffusion.svg", "Light beside a lit spot (scaled at 6 mm)", "distance, mean free paths", "exitance", lines, log_y=True, dots=("walk",)
    )
    note("Fall-off beside a lit spot, 6 to 12 free paths", f"{found[3] / found[9]:.1f} x", f"{theory[3] / theory[9]:.1f} x", "diffusion theory")


def films_and_colours() -> None:
    """Thin film against the matrix method; dispersion against Cauchy and Abbe; nested solids against Fresnel."""
    nm = np.linspace(400, 700, 61)
    lines: dict = {}
    worst = 0.0
    for cosine in (1.0, 0.5):
        airy = [float(thin_film.airy(cosine, v, 450.0, 1.0, 1.4, 1.5)) for v in nm]
        matrix = [matrix_method(cosine, v, 450.0, 1.4, 1.5) for v in nm]
        worst = max(worst, float(np.abs(np.array(airy) - matrix).max()))
        lines[f"matrix, cos {cosine:g}"] = (nm, matrix)
        lines[f"Airy, cos {cosine:g}"] = (nm[::4], airy[::4])
    plot(OUT / "film.svg", "450 nm film of 1.4 on glass of 1.5", "wavelength, nm", "reflectance", lines, dots=("Airy, cos 1", "Airy, cos 0.5"))
    note("Thin film: Airy sum against characteristic matrices, worst", f"{worst:.1e}", "0", "")
    b = spectrum.cauchy_b(1.5168, 64.2)
    n_f, n_c = ior_at(1.5168, b, spectrum.LINE_F), ior_at(1.5168, b, spectrum.LINE_C)
    compare("Abbe number of a crown glass from its indices", 0.5168 / (n_f - n_c), 64.2)
    mean = np.mean([draw_wavelength((k + 0.5) / 4096)[1:] for k in range(4096)], axis=0)
    note("All wavelengths together", ", ".join(f"{v:.6f}" for v in mean), "1, 1, 1", "")
    clear = Surface(transmission_weight=1.0, specular_roughness=0.0, specular_ior=1.5)
    oil = replace(clear, specular_ior=1.45)
    document, assets = stacked(oil, False, replace(clear, nesting_priority=1))
    frame, _ = trace(document, assets, (8, 8), 1024, Dark)

    def fresnel(n1, n2):
        return ((n1 - n2) / (n1 + n2)) ** 2

    compare(
        "Oil against glass, light let through",
        float(frame.rgb[..., 1].mean() / NITS),
        through([fresnel(1, 1.45), fresnel(1.45, 1.5), fresnel(1.5, 1)]),
    )


def camera() -> None:
    """Motion blur against many frames; blur of a point against the circle of confusion."""
    document, assets = moving(Placement(), Placement(turn=(0, 0, 200.0)), motion_blur=True)
    blurred, _ = trace(document, assets, (48, 36), 512, UniformDome, transparent=True)
    times = (np.arange(64) + 0.5) / 64
    frames = np.mean([trace(still(document, t), assets, (48, 36), 16, UniformDome, transparent=True)[0].alpha for t in times], 0)
    note("Motion blur of a block turned by 200 degrees, mean gap to 64 frames", f"{np.abs(blurred.alpha - frames).mean():.4f}", "0", "of coverage")
    focus, far, f_stop, lens = 300.0, 600.0, 2.0, 50.0
    document, assets = one_part(sphere_mesh(1.0, 24), Surface(base_weight=0.0, specular_weight=0.0, emission_luminance=1e6))
    document = edits.place_parts(document, {"ball": Placement((0, far, 0))})
    eye = Camera(
        id="c", name="c", position=(0, 0, 0), target=(0, 1, 0), focal_length_mm=lens, f_stop=f_stop, depth_of_field=True, focus=focus, shutter=1 / 15
    )
    frame, _ = trace(replace(document, cameras={"c": eye}), assets, (240, 160), 512, Dark, RenderSettings(clamp_stops=0))
    light = frame.rgb[..., 1].astype(float)
    y, x = np.mgrid[: light.shape[0], : light.shape[1]]
    spread = (light * ((x - (light * x).sum() / light.sum()) ** 2 + (y - (light * y).sum() / light.sum()) ** 2)).sum() / light.sum()
    ball = 1.0 / (36.0 / lens * far) * 240
    # mean square radius of a disc is half its radius squared; the ball's own disc and the pixel's tent filter add theirs
    across = 2 * math.sqrt(2 * (spread - ball**2 / 2 - 1 / 3))
    # thin lens seen from the lens: blur disc at the focal plane is aperture * |far - focus| / far; on a 36 mm frame focused at `focus`
    disc = lens / f_stop * (far - focus) / far
    pixels = disc / (36.0 / lens * focus) * 240
    compare("Circle of confusion of a point at twice the focus", across, pixels, "px")


def noise() -> None:
    """Error of the lantern against the samples, with and without the denoiser."""
    document, assets = bench.demo_project()
    shot, size = document.shots[0], (200, 250)
    truth = render(document, assets, shot, size, RenderSettings(stop="samples", samples=2048, denoise=False, seed=3))
    white = truth.white
    counts = [4, 8, 16, 32, 64, 128, 256]
    raw, clean = [], []
    for n in counts:
        got = render(document, assets, shot, size, RenderSettings(stop="samples", samples=n, denoise=False))
        smooth = denoise(got.raw, got.albedo, got.normal)
        for values, image in ((raw, got.raw), (clean, smooth)):
            values.append(100 * float((np.abs(image - truth.raw) / (np.minimum(truth.raw, 4 * white) + 0.05 * white)).mean()))
    plot(
        OUT / "noise.svg",
        "Lantern: error against 2048 samples",
        "samples",
        "mean error, %",
        {"raw": (counts, raw), "denoised": (counts, clean)},
        True,
        True,
    )
    slope = float(np.polyfit(np.log(counts[2:]), np.log(raw[2:]), 1)[0])
    note("Lantern: exponent of the error over samples, 16 to 256", f"{slope:.2f}", "-0.5", "")
    note("Lantern at 64 samples, raw and denoised", f"{raw[4]:.1f} %", f"{clean[4]:.1f} %", "")


def write() -> None:
    """The page."""
    text = [
        "# How true the light is", "",
        "Measured by `tools/measure_accuracy.py` on 2026-11-23; the tests under `tests/trace` hold the same comparisons to bounds on every run, and "
        "`./aulmo verify` the long ones.", "",
        "| what | measured | expected | error |", "|---|---|---|---|",
        *(f"| {' | '.join(row)} |" for row in ROWS), "",
    ]  # fmt: skip
    for name in ("furnace", "lamps", "subsurface", "diffusion", "film", "noise"):
        text.append(f"![{name}](accuracy/{name}.svg)")
        text.append("")
    text += [
        "Every sampling routine is held to its density by chi-square or Kolmogorov-Smirnov (`tests/trace/material/test_materials.py`, "
        "`lamp/test_lamps.py`, `path/test_distributions.py`), every lamp's aimed estimate to paths that only meet it by luck "
        "(`lamp/test_lamps.py`), metals and rough matt surfaces to reciprocity (`material/test_materials.py`).", "",
        "What is not exact: albedo scaling of layers (as the standard allows) is not reciprocal; the albedo inversion below a surface is a fit; light "
        "that reaches rough surfaces through clear glass goes straight unless that is switched off; a film is worked out against air, also where the glass "
        "touches a liquid.", "",
    ]  # fmt: skip
    Path("docs/accuracy.md").write_text("\n".join(text))


if __name__ == "__main__":
    OUT.mkdir(parents=True, exist_ok=True)
    for part in (energy, lamps, below, films_and_colours, camera, noise):
        part()
    write()
