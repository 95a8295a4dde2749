"""From what is worked on to addresses: "cameras/{camera}/iso" is the shot's camera's, "parts/{solids}/edge_radius" that of all selected solids."""

import re

from aulmo.desk.shell.session import Session
from aulmo.document import edits
from aulmo.document.decals import group_members

_BRACES = re.compile(r"\{(\w+)\}")


_SAMPLES = {"layer": "x/layers/x", "mask": "x/layers/x/masks/x"}  # words that stand for a thing within another


def sample(template: str) -> str:
    """A template with any name in the place of braces, for looking up what is known of the property."""
    return _BRACES.sub(lambda found: _SAMPLES.get(found[1], "x"), template)


def _layer(session: Session, of: str) -> list[str]:
    """The layer of a finish that is in hand, or its mask: the one that was chosen, else the last."""
    steps = session.subject.split("/")
    found = session.document.finishes.get(steps[1]) if steps[0] == "finishes" and len(steps) >= 4 else None
    layer = next((x for x in found.layers if x.id == steps[3]), None) if found is not None else None
    if found is None or layer is None:
        return []
    place = f"{found.id}/layers/{layer.id}"
    if of == "layer":
        return [place]
    wanted = steps[5] if len(steps) >= 6 else ""
    mask = next((m for m in layer.masks if m.id == wanted), layer.masks[-1] if layer.masks else None)
    return [f"{place}/masks/{mask.id}"] if mask is not None else []


def meant(session: Session, word: str) -> list[str]:
    """The ids that a word in braces stands for now: camera, looked (the selected camera, else the shot's), motion, shot, lamp, softbox, decal,
    grouped (decals), colour (of the project), path, material, part (the only one selected), parts, solids, layer and mask (of a finish)."""
    shot = session.shot
    if word in _SAMPLES:
        return _layer(session, word)
    if word == "camera":
        return [shot.camera] if shot else []
    if word == "looked":  # the camera that is selected, else the shot's
        held = session.subject[8:] if session.subject.startswith("cameras/") else shot.camera if shot else ""
        return [held] if held in session.document.cameras else []
    if word == "motion":
        held = session.subject[8:] if session.subject.startswith("motions/") else ""
        return [held] if held in session.document.motions else []
    if word == "shot":
        return [shot.id] if shot else []
    if word == "lamp":
        return [session.lamp.id] if session.lamp is not None else []
    if word == "softbox":
        return [session.softbox.id] if session.softbox is not None else []
    if word == "path":
        held = session.subject[6:] if session.subject.startswith("paths/") else ""
        return [held] if held in session.document.paths else []
    if word == "colour":  # of the project
        held = session.subject[8:] if session.subject.startswith("colours/") else ""
        return [held] if held in session.document.colours else []
    if word == "decal":
        return [session.decal.id] if session.decal is not None else []
    if word == "grouped":  # the decal that is selected and those of its group, itself first
        held = session.decal.id if session.decal is not None else ""
        return sorted(group_members(session.document, held), key=lambda i: i != held) if held else []
    if word == "material":
        return [session.material_id] if session.material_id in session.document.materials else []
    if word == "part":
        return list(session.selection) if len(session.selection) == 1 else []
    if word == "parts":
        return list(session.selection)
    if word == "solids":
        return edits.leaves(session.document, session.selection)
    raise KeyError(word)


def addresses(session: Session, template: str) -> list[str]:
    """The addresses a template stands for now."""
    match = _BRACES.search(template)
    if match is None:
        return [template]
    return [template[: match.start()] + found + template[match.end() :] for found in meant(session, match[1])]
