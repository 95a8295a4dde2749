"""What softboxes cost: a drag of one of ten until it is seen, and noise beside the same light as a baked map."""

import time

import numpy as np
from msgspec.structs import replace

from aulmo.document.assets import AssetStore
from aulmo.document.records import Document, Environment, Softbox
from aulmo.light.dome_map import map_directions
from aulmo.light.softbox import put_softbox
from aulmo.light.staying import standing
from aulmo.trace import draft, tracer
from aulmo.trace.camera_rows import camera_rows
from aulmo.trace.compile import arrays as a
from aulmo.trace.dome_file import dome_light, soft_of
from aulmo.trace.lit import environment_turn
from aulmo.trace.options import options_row
from aulmo.trace.path.film import moments
from aulmo.trace.scene import SceneBuilder

SIZE = (704, 560)
BAKED = 4096


def ten() -> tuple[Softbox, ...]:
    """Ten softboxes as a set-up has them at most: two large, strips, small ones."""
    sizes = ((44, 64), (40, 50), (14, 76), (10, 80), (8, 60), (60, 20), (16, 16), (12, 30), (6, 40), (20, 12))
    return tuple(
        Softbox(f"b{k}", f"Box {k}", azimuth=36.0 * k - 170, elevation=12.0 + 7 * (k % 6), width=w, height=h, stops=2.0 + 0.2 * (k % 5), edge=0.06)
        for k, (w, h) in enumerate(sizes)
    )


def lit(document: Document, count: int = 10) -> Document:
    """The document in the dark but for softboxes."""
    return replace(document, environment=Environment(kind="colour", softboxes=ten()[:count]))


def drag_seconds(document: Document, assets: AssetStore) -> dict[str, float]:
    """Seconds from a drag of one of ten softboxes to the first new pixels of the whole frame: "traced" coarsely, and "draft"."""
    from aulmo.trace.live import COARSEST

    document, builder = lit(document), SceneBuilder(assets)
    shot = document.shots[0]
    camera = document.cameras[shot.camera]
    rows = camera_rows(camera, *SIZE)
    times: dict[str, list[float]] = {"traced": [], "draft": []}
    dome = draft.DomeMaps()
    for k in range(8):
        document = put_softbox(document, replace(document.environment.softboxes[3], azimuth=-60.0 + 3 * k))
        started = time.perf_counter()
        scene = builder.build(document, camera=camera)
        options = options_row(scene, document, camera, document.render)
        tracer.Tracer(scene, rows, options, *SIZE, step=COARSEST).run(1)
        times["traced"].append(time.perf_counter() - started)
        started = time.perf_counter()
        tracer.draw_draft(scene, rows, options, dome.of(scene.arrays, options[a.OPT_ENV_SCALE]), *SIZE)
        times["draft"].append(time.perf_counter() - started)
    return {name: float(np.median(taken[1:])) for name, taken in times.items()}


class Baked(SceneBuilder):
    """A builder whose dome is the map that softboxes were painted into."""

    baked = np.zeros((2, 4, 3), np.float32)

    def _pixels(self, environment: Environment) -> np.ndarray:
        return self.baked


def noise_beside_map(document: Document, assets: AssetStore, count: int, samples: int = 24) -> tuple[float, float]:
    """(variance times time with a map baked to 4096 pixels over that with softboxes, seconds a sample of softboxes over those of the map)."""
    document = lit(document, count)
    shot = document.shots[0]
    camera = document.cameras[shot.camera]
    builder = SceneBuilder(assets)
    stands = builder.build(document, camera=camera)
    still = standing(document, camera)
    directions = map_directions(BAKED, BAKED // 2).reshape(-1, 3)
    dark = np.zeros((2, 4, 3), np.float32)
    light = dome_light(dark, environment_turn(still.environment), 1.0, soft_of(still, assets), directions)
    baked = Baked(assets)
    baked.baked = np.ascontiguousarray(light.reshape(BAKED // 2, BAKED, 3), np.float32)
    plain = replace(document, environment=Environment())
    found = []
    for scene, made in ((stands, document), (baked.build(plain, camera=camera), plain)):
        options = options_row(scene, made, camera, made.render)
        one = tracer.Tracer(scene, camera_rows(camera, 352, 280), options, 352, 280)
        one.run(2)
        started = time.process_time()
        one.run(samples)
        spent = time.process_time() - started
        _, mean, variance = moments(one.film)
        floor = 0.05 * float(options[a.OPT_WHITE])
        found.append((float(np.mean(variance / np.maximum(mean, floor) ** 2)), spent))
    (soft, soft_time), (flat, flat_time) = found
    return flat * flat_time / (soft * soft_time), soft_time / flat_time
