"""Draft pictures of shots at any moment, off the screen: for contact sheets, reels and preview films."""

import numpy as np

from aulmo.document.assets import AssetStore
from aulmo.document.properties import resolve
from aulmo.document.records import Document, Shot
from aulmo.frame.photograph import without_what_is_missing
from aulmo.trace import tracer
from aulmo.trace.camera_rows import camera_row
from aulmo.trace.compile.arrays import OPT_ENV_SCALE
from aulmo.trace.draft import DomeMaps
from aulmo.trace.options import options_row
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.shade import Shades


class ShotDrafts:
    """Draws one draft after another of one project; what does not change between them is kept."""

    def __init__(self, assets: AssetStore) -> None:
        self.assets = assets
        self._builder, self._maps, self._shades = SceneBuilder(assets), DomeMaps(), Shades()

    def draw(self, document: Document, shot: Shot, time: float, size: tuple[int, int], smooth: int = 3) -> np.ndarray:
        """(h, w, 4) uint8 BGRA of a shot at a time in seconds, drawn `smooth` times as large each way. Raises BadValue or BadFile."""
        resolved, _ = without_what_is_missing(resolve(document, {"shot": shot.id}, time), self.assets)
        camera = resolved.cameras[shot.camera]
        scene = self._builder.build(resolved, tables=False, camera=camera)
        options = options_row(scene, resolved, camera, resolved.render)
        w, h = size
        maps = self._maps.of(scene.arrays, options[OPT_ENV_SCALE])
        self._shades.take_first(scene)
        shade = self._shades.under(maps, scene.arrays.env_turn)
        wide, high = smooth * w, smooth * h
        large = tracer.draw_draft(scene, camera_row(camera, wide, high), options, maps, wide, high, shade=shade, shadows=tracer.DRAFT_LAMPS).picture
        return np.asarray(large.reshape(h, smooth, w, smooth, 4).mean((1, 3)).astype("uint8"))


def drawn_all(document: Document, assets: AssetStore, shot_ids: list[str], within: tuple[int, int]) -> dict[str, np.ndarray]:
    """(h, w, 4) uint8 BGRA drafts of several shots as the film begins, each within so many pixels."""
    drafts, found = ShotDrafts(assets), {}
    for shot in (s for s in document.shots if s.id in shot_ids):
        f = min(within[0] / shot.width, within[1] / shot.height)
        found[shot.id] = drafts.draw(document, shot, document.film.start, (max(8, round(shot.width * f)), max(8, round(shot.height * f))))
    return found


