"""A project with all that belongs to it in one folder, as files that any program opens: for the archive, or for a colleague."""

import shutil
from pathlib import Path
from typing import Callable, NamedTuple

from aulmo.deliver.parts_list import table, write_parts_list
from aulmo.document.assets import AssetStore
from aulmo.document.file_names import file_name, free_in
from aulmo.document.meshes import digest_of_file
from aulmo.document.project_file import save
from aulmo.document.records import Document
from aulmo.document.writing import write_atomically
from aulmo.errors import AulmoError, BadValue, CannotWrite
from aulmo.prepare.read_process import CAD, MESH
from aulmo.surface.picture_list import used_pictures

KINDS = {"pictures": "Picture", "photographs": "Photograph", "light": "Light", "models": "Model"}


class Gathered(NamedTuple):
    """A file that goes along: the folder it comes into, its name, what for, and the asset or the file on this machine that it is a copy of."""

    where: str
    name: str
    by: str
    asset: str = ""
    source: Path | None = None


def gathered(document: Document, assets: AssetStore) -> tuple[list[Gathered], list[str]]:
    """What a project's pictures, photographs, domes and models are, and sentences on what is missing or left out. Of this machine's files only those
    go along that are of a kind that Aulmo reads and hold what it has read: a project from elsewhere may name any."""
    found: list[Gathered] = []
    notes: list[str] = []
    for used in used_pictures(document):
        if used.asset is None or not assets.has(used.asset):
            notes.append(f"{used.file} is missing; {', '.join(used.by)} wants it.")
        else:
            found.append(Gathered("pictures", used.file, ", ".join(used.by), used.asset))
    for shot in document.shots:
        if shot.photograph is not None:
            if assets.has(shot.photograph.image):
                found.append(Gathered("photographs", shot.photograph.file or "photograph", shot.name, shot.photograph.image))
            else:
                notes.append(f"{shot.photograph.file} is missing; it is behind {shot.name}.")
    dome = document.environment
    if dome.kind == "picture" and not dome.shipped:
        if assets.has(dome.image):
            found.append(Gathered("light", "dome", "Dome", dome.image))
        else:
            notes.append("The dome's picture is missing.")
    for source in document.sources.values():
        path = Path(source.path)
        if not source.path:
            continue
        if path.suffix.lower() not in CAD + MESH:
            notes.append(f"{source.name} is left out: {path.name} is no kind of model that Aulmo reads.")
        elif not path.is_file():
            notes.append(f"{source.name} is no longer at {source.path}; its shapes are in the project.")
        elif not source.digest:
            notes.append(f"{source.name} is left out: an earlier Aulmo brought it in and did not note what it read; its shapes are in the project.")
        elif digest_of_file(path) != source.digest:
            notes.append(f"{source.name} is left out: what lies at {source.path} is not what was brought in; its shapes are in the project.")
        else:
            found.append(Gathered("models", path.name, source.name, source=path))
    return found, notes


def collect(document: Document, assets: AssetStore, folder: Path, tell: Callable[[float], object] = lambda share: True) -> list[str]:
    """Put the project file, what is `gathered`, its materials as MaterialX and a parts list into a new or empty folder. Returns sentences on what is
    missing. `tell` hears how far it is and may return False to give up.

    Raises BadValue for a folder that holds something, CannotWrite; what was written until then stays.
    """
    from aulmo.surface.materialx_out import save_material

    folder = Path(folder)
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise BadValue(f"{folder.name} is there already and holds something; choose a new folder.")
    if not folder.parent.is_dir():
        raise BadValue(f"There is no folder {folder.parent}.")
    listed: list[tuple[str, str, str]] = []
    wanted, notes = gathered(document, assets)
    steps = max(1, len(wanted) + len(document.materials) + 2)
    done = 0

    def step() -> None:
        nonlocal done
        done += 1
        if tell(done / steps) is False:
            raise BadValue("Collecting was given up; what was written until then is kept.")

    try:
        folder.mkdir(exist_ok=True)
        project = folder / f"{file_name(document.name, otherwise='project')}.aulmo"
        save(document, assets, project)
        listed.append((project.name, "Project", ""))
        step()
        for one in wanted:
            (folder / one.where).mkdir(exist_ok=True)
            plain = Path(one.name.replace("\\", "/"))
            ending = Path(one.asset).suffix or plain.suffix
            path = free_in(folder / one.where, plain.stem, ending, otherwise="file")
            if one.source is not None:
                shutil.copyfile(one.source, path)
            else:
                write_atomically(path, lambda file, one=one: file.write(assets.get(one.asset)))
            listed.append((f"{one.where}/{path.name}", KINDS[one.where], one.by))
            step()
        for material in document.materials.values():
            (folder / "materials").mkdir(exist_ok=True)
            path = free_in(folder / "materials", material.name, ".mtlx", otherwise="material")
            try:
                save_material(material, assets, path)
                listed.append((f"materials/{path.name}", "Material", material.name))
            except BadValue as error:
                notes.append(f"{material.name} is not there as MaterialX: {error}")
            step()
        try:
            write_parts_list(document, assets, folder / "parts.csv")
            listed.append(("parts.csv", "Parts", ""))
        except BadValue:
            pass  # a set without a product
        blob = table([("File", "What", "For"), *listed])
        write_atomically(folder / "contents.csv", lambda file: file.write(blob))
        step()
    except AulmoError:
        raise
    except OSError as error:
        raise CannotWrite(f"{folder.name} could not be filled: {error.strerror or error}.") from error
    return notes
