"""Pictures, artwork, photographs and films whose files have changed: read again, and put wherever the project used them."""

from pathlib import Path
from typing import Collection, Iterable, NamedTuple

from msgspec.structs import replace

from aulmo.document.assets import AssetStore
from aulmo.document.project_file import used_assets
from aulmo.document.quantity import shortened
from aulmo.document.records import Document, Shot
from aulmo.document.references import references, renamed
from aulmo.errors import BadFile
from aulmo.prepare.revision.compare import Change
from aulmo.surface.picture import ENDINGS
from aulmo.surface.picture_set import loaded

KIND = "picture"


def watched(document: Document, assets: AssetStore) -> dict[str, str]:
    """Of everything a project uses that was a file once, where that lies, by its name among the assets."""
    if not assets.origins:
        return {}
    return {name: assets.origins[name] for name in used_assets(document) if name in assets.origins}


class Again(NamedTuple):
    """Pictures read again: a change for each, `old` the asset's name and `new` that of what is there now; the sizes of those in pixels."""

    changes: tuple[Change, ...]
    sizes: dict[str, tuple[int, int]]


def read_again(assets: AssetStore, names: Iterable[str]) -> Again:
    """What is in the files of some assets now, put among the assets too. Raises BadFile."""
    found, sizes = [], {}
    for name in names:
        path = Path(assets.origins[name])
        if path.suffix.lower() in ENDINGS:
            fresh, pixels = loaded(assets, path)
            sizes[fresh] = pixels.width, pixels.height
        else:
            try:
                fresh = assets.add_file(path.read_bytes(), path)
            except OSError as error:
                raise BadFile(f"{path.name} cannot be read: {error.strerror}.") from None
        found.append(Change(KIND, name, fresh, path.name, " × ".join(map(str, sizes.get(fresh, ())))))
    return Again(tuple(found), sizes)


def used_by(document: Document, name: str) -> str:
    """What an asset is seen on, in words."""
    worn = [m.name for m in document.materials.values() if name in references(Document(materials={m.id: m}))]
    worn += [p.name for p in document.parts.values() if p.carton is not None and name in references(Document(parts={p.id: p}))]
    worn += [d.name for d in document.decals.values() if name in references(Document(decals={d.id: d}))]
    worn += [s.name for s in document.shots if name in references(Document(shots=(s,)))]
    worn += [lamp.name for lamp in document.lamps.values() if name in references(Document(lamps={lamp.id: lamp}))]
    worn += [f.name or "a finish" for f in document.finishes.values() if name in references(Document(finishes={f.id: f}))]
    if name in references(Document(environment=document.environment)):
        worn.append("the dome")
    return ", ".join(shortened(w, 24) for w in worn[:3]) + (f" and {len(worn) - 3} more" if len(worn) > 3 else "")


def put_instead(document: Document, again: Again, left: Collection[Change] = ()) -> Document:
    """The document with what was read again in the place of what it had, but for some that are `left`. A photograph says its new size."""
    instead = {c.old: c.new for c in again.changes if c not in left}
    made = renamed(document, "assets", instead)
    shots = tuple(shot if old is shot else _resized(shot, again.sizes) for shot, old in zip(made.shots, document.shots))
    return replace(made, shots=shots)


def _resized(shot: Shot, sizes: dict[str, tuple[int, int]]) -> Shot:
    held = shot.photograph
    if held is None or held.image not in sizes:
        return shot
    width, height = sizes[held.image]
    return replace(shot, photograph=replace(held, width=width, height=height))
