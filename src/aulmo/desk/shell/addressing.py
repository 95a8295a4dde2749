"""From what is worked on to addresses: "cameras/{camera}/iso" is the shot's camera's, "parts/{solids}/edge_radius" that of all selected solids."""

import re

from aulmo.desk.shell.session import Session
from aulmo.document import edits
from aulmo.document.decals import group_members

_BRACES = re.compile(r"\{(\w+)\}")


def sample(template: str) -> str:
    """A template with any name in the place of braces, for looking up what is known of the property."""
    return _BRACES.sub("x", template)


def meant(session: Session, word: str) -> list[str]:
    """The ids that a word in braces stands for now: camera, looked (the selected camera, else the shot's), motion, shot, lamp, softbox, decal,
    grouped (decals), path, material, part (the only one selected), parts, solids."""
    shot = session.shot
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
