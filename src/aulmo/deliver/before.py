"""What is odd about a render that is about to begin: what one would otherwise see only when it is done."""

import shutil
from pathlib import Path

from aulmo.deliver.picture_file import FILE_TYPES
from aulmo.document.assets import AssetStore
from aulmo.document.edits import leaves
from aulmo.document.properties import resolve
from aulmo.document.quantity import counted, show
from aulmo.document.records import Document, RenderSettings, Shot
from aulmo.document.references import references
from aulmo.errors import AulmoError

FEW_SAMPLES, MUCH_NOISE = 16, 12.0  # what one tries things out with
EACH_PASS = 24


def oddities(
    document: Document, assets: AssetStore, shot: Shot, settings: RenderSettings, folder: Path, time: float = 0.0,
    choices: dict[str, str] | None = None, seen: Document | None = None, count: int = 1,
) -> list[str]:  # fmt: skip
    """Sentences, the gravest first; none when all is as it should be. `count` pictures go to `folder`; `seen` is the document resolved, where that
    is at hand."""
    found: list[str] = []
    try:
        seen = seen or resolve(document, {**(choices or {}), "shot": shot.id}, time)
    except AulmoError as error:
        return [str(error)]
    missing = [name for name in sorted(references(seen)) if not assets.has(name)]
    if missing:
        found.append(f"{counted(len(missing), 'picture or shape', 'pictures or shapes')} missing from the project")
    if settings.transparent and shot.photograph is not None:
        found.append("the background is left out, and with it the photograph")
    kind = FILE_TYPES[settings.file_type]
    planes = EACH_PASS * len(settings.passes) if kind.layered else 0
    need = count * shot.width * shot.height * (kind.bytes_a_pixel + planes)
    try:
        free = shutil.disk_usage(folder).free
    except OSError:
        free = None
        found.append(f"there is no folder {folder}")
    if free is not None and free < need + (64 << 20):
        found.append(f"the disk has room for {show(free / 1e9, 'GB', 1)}, and this needs about {show(need / 1e9, 'GB', 1)}")
    hidden = set(leaves(seen, [i for i in seen.roots if not seen.parts[i].visible]))
    inside = [p.id for p in seen.parts.values() if not p.visible and p.parent is not None and p.mesh is not None and p.copies is None]
    gone = len(hidden.union(inside))
    if gone:
        found.append(f"{counted(gone, 'part')} hidden")
    moving = [m for m in document.motions.values() if m.on and m.start + 1e-6 < time < m.start + m.length - 1e-6]
    keyed = any(k[0].time + 1e-6 < time < k[-1].time - 1e-6 for k in document.keys.values() if len(k) > 1)
    if moving or keyed:
        found.append(f"a motion is half way, at {show(time, 's', 2)} of the film")
    if settings.stop == "samples" and settings.samples < FEW_SAMPLES:
        found.append(f"{counted(settings.samples, 'sample')} is a test value")
    if settings.stop == "noise" and settings.noise_percent > MUCH_NOISE:
        found.append(f"{show(settings.noise_percent, '%', 1)} of noise is a test value")
    if not settings.denoise and settings.stop == "noise" and settings.noise_percent > 4.0:
        found.append("it is not denoised")
    if shot.width * shot.height < 400 * 300:
        found.append(f"{shot.width} × {shot.height} is small")
    return found


def in_one_line(found: list[str]) -> str:
    """All of it as one sentence; nothing when nothing is odd."""
    if not found:
        return ""
    words = ", ".join(found)
    return f"{words[0].upper()}{words[1:]}."
