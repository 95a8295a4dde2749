"""The preview film: drafts of what is played, small and quick, written as a film while they are drawn."""

from pathlib import Path
from typing import Any

import numpy as np
from msgspec.structs import replace

from aulmo.deliver.film import display_frame, plan
from aulmo.deliver.movie import Movie
from aulmo.deliver.qualities import settings_of, size_for
from aulmo.document.assets import AssetStore
from aulmo.document.records import Document
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.shot_drafts import ShotDrafts
from aulmo.trace.tracer import render

LONGEST = 640  # pixels of a preview's longer side


def write_preview(document: Document, assets: AssetStore, out: Path, task: Any, traced: bool = False, shot_id: str | None = None) -> int:
    """Drafts of the play range (or `traced`, in the quality that the project says for previews) as a film; returns how many frames. Raises
    AulmoErrors."""
    film = document.film
    otherwise = next((s for s in document.shots if s.id == shot_id), None)
    planned = plan(document, film.play_start, film.play_end, shot=otherwise)
    first = planned[0].seen[0].shot
    f = min(1.0, LONGEST / max(first.width, first.height))
    size = (max(16, round(first.width * f / 2) * 2), max(16, round(first.height * f / 2) * 2))
    if traced and document.render.preview.own:
        size = size_for(document.render, "preview", (first.width, first.height))
    drafts, builder = ShotDrafts(assets), SceneBuilder(assets)
    settings = replace(settings_of(document.render, "preview"), passes=())
    movie = Movie(out, size, document.frames_per_second, quick=True)

    def picture(shot, at: float) -> Any:
        if not traced:
            return drafts.draw(document, shot, at, size, 2)[..., [2, 1, 0]]
        made = render(document, assets, shot, size, settings, lambda p, t: not task.cancelled, builder, None, at)
        return None if made is None else display_frame(made)

    try:
        for k, frame in enumerate(planned):
            if not task.tell(f"Preview, frame {k + 1} of {len(planned)}", k / len(planned)):
                return 0
            pictures = [picture(seen.shot, frame.time) for seen in frame.seen]
            if any(p is None for p in pictures):
                return 0
            movie.add(sum(p.astype(np.float32) / 255 * seen.share for p, seen in zip(pictures, frame.seen)))
        movie.close()
    finally:
        movie.give_up()
    return len(planned)
