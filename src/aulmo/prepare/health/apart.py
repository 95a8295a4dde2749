"""Health looked at in a process of its own: building the trees that rays go through would hold the window."""

from msgspec.structs import replace

from aulmo.document.apart import Progress, apart
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.records import Document
from aulmo.errors import BadFile
from aulmo.prepare.health.findings import Finding, examine
from aulmo.prepare.health.look import Known, shown_leaves

_held: dict[str, Mesh] = {}  # of the other process
_known = Known({}, {})
WHAT = "The health of the parts"  # in sentences


@apart(seconds=600, gigabytes=16, process="health", shown=WHAT)
def _wanted(names: list[str]) -> list[str]:
    """Which of some meshes are not there yet; all others are let go of."""
    for name in set(_held) - set(names):
        del _held[name]
        _known.flaws.pop(name, None)
        for key in [k for k in _known.fine if k[0] == name]:
            del _known.fine[key]
    return [name for name in names if name not in _held]


@apart(seconds=600, gigabytes=16, process="health", shown=WHAT, tells=True)
def _examined(
    document: Document, names: list[str], fresh: dict[str, Mesh], from_shots: bool, progress: Progress = None
) -> list[Finding] | str | None:  # fmt: skip
    """What is wrong, by meshes of some `names`, those that are there and `fresh` ones; a word when one is missing as the process was begun anew."""
    _held.update(fresh)
    if not set(names) <= set(_held):
        return "missing"
    assets = AssetStore()
    for name, mesh in _held.items():
        assets.lend_mesh(name, mesh)
    return examine(document, assets, progress, _known, from_shots=from_shots)


def examined(document: Document, assets: AssetStore, from_shots: bool, progress: Progress = None) -> list[Finding] | None:
    """As `findings.examine`, worked out apart; None when it was cancelled. Raises BadFile."""
    names = list(dict.fromkeys(document.parts[i].mesh or "" for i in shown_leaves(document)))
    bare = replace(document, decals={}, keys={}, motions={}, finishes={}, remarks={})
    for _ in range(2):  # the process may have ended between the two calls
        fresh = {name: assets.mesh(name) for name in _wanted(names)}
        found = _examined(bare, names, fresh, from_shots, progress=progress)
        if found is None or isinstance(found, list):
            return found
    raise BadFile("The health of the parts could not be looked at; do it again.")
