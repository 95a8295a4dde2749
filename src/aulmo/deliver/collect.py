"""A project with all that belongs to it in one folder, as files that any program opens: for the archive, or for a colleague."""

import csv
import io
import shutil
from pathlib import Path
from typing import Callable

from aulmo.deliver.naming import safe
from aulmo.deliver.parts_list import write_parts_list
from aulmo.document.assets import AssetStore
from aulmo.document.project_file import save
from aulmo.document.records import Document
from aulmo.document.writing import write_atomically
from aulmo.errors import AulmoError, BadValue, CannotWrite
from aulmo.surface.picture_list import used_pictures


def _free(folder: Path, name: str, taken: set[str], suffix: str = "") -> Path:
    """A path in a folder by somebody's name for the file, that no other has."""
    name = safe(Path(name.replace("\\", "/")).name) or "file"
    stem, own = Path(name).stem, suffix or Path(name).suffix
    made, k = f"{stem}{own}", 2
    while made.lower() in taken:
        made, k = f"{stem} {k}{own}", k + 1
    taken.add(made.lower())
    return folder / made


def collect(document: Document, assets: AssetStore, folder: Path, tell: Callable[[float], object] = lambda share: True) -> list[str]:
    """Put the project file, its pictures, photographs and domes, the models it was made from where they still are, its materials as MaterialX and a
    parts list into a new or empty folder. Returns sentences on what is missing. `tell` hears how far it is and may return False to give up.

    Raises BadValue for a folder that holds something, CannotWrite; what was written until then stays.
    """
    from aulmo.surface.materialx_out import save_material

    folder = Path(folder)
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise BadValue(f"{folder.name} is there already and holds something; choose a new folder.")
    if not folder.parent.is_dir():
        raise BadValue(f"There is no folder {folder.parent}.")
    notes: list[str] = []
    listed: list[tuple[str, str, str]] = []
    wanted: list[tuple[str, str, str, str]] = []  # folder, name, asset, what for
    for used in used_pictures(document):
        if used.asset is None or not assets.has(used.asset):
            notes.append(f"{used.file} is missing; {', '.join(used.by)} wants it.")
        else:
            wanted.append(("pictures", used.file, used.asset, ", ".join(used.by)))
    for shot in document.shots:
        if shot.photograph is not None:
            if assets.has(shot.photograph.image):
                wanted.append(("photographs", shot.photograph.file or "photograph", shot.photograph.image, shot.name))
            else:
                notes.append(f"{shot.photograph.file} is missing; it is behind {shot.name}.")
    dome = document.environment
    if dome.kind == "picture" and not dome.shipped:
        if assets.has(dome.image):
            wanted.append(("light", "dome", dome.image, "Dome"))
        else:
            notes.append("The dome's picture is missing.")
    models = [source for source in document.sources.values() if source.path]
    steps = max(1, len(wanted) + len(models) + len(document.materials) + 2)
    done = 0

    def step() -> None:
        nonlocal done
        done += 1
        if tell(done / steps) is False:
            raise BadValue("Collecting was given up; what was written until then is kept.")

    taken: dict[str, set[str]] = {}
    try:
        folder.mkdir(exist_ok=True)
        project = _free(folder, (document.name or "project").replace("/", "-") + ".aulmo", set(), ".aulmo")
        save(document, assets, project)
        listed.append((project.name, "Project", ""))
        step()
        for where, name, asset, by in wanted:
            (folder / where).mkdir(exist_ok=True)
            path = _free(folder / where, name, taken.setdefault(where, set()), Path(asset).suffix)
            write_atomically(path, lambda file, asset=asset: file.write(assets.get(asset)))
            listed.append((f"{where}/{path.name}", "Picture" if where == "pictures" else where.capitalize(), by))
            step()
        for source in models:
            if Path(source.path).is_file():
                (folder / "models").mkdir(exist_ok=True)
                path = _free(folder / "models", source.path, taken.setdefault("models", set()))
                shutil.copyfile(source.path, path)
                listed.append((f"models/{path.name}", "Model", source.name))
            else:
                notes.append(f"{source.name} is no longer at {source.path}; its shapes are in the project.")
            step()
        for material in document.materials.values():
            (folder / "materials").mkdir(exist_ok=True)
            path = _free(folder / "materials", material.name.replace("/", "-") + ".mtlx", taken.setdefault("materials", set()), ".mtlx")
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
        out = io.StringIO()
        csv.writer(out).writerows([("File", "What", "For"), *listed])
        write_atomically(folder / "contents.csv", lambda file: file.write(("\ufeff" + out.getvalue()).encode()))
        step()
    except AulmoError:
        raise
    except OSError as error:
        raise CannotWrite(f"{folder.name} could not be filled: {error.strerror or error}.") from error
    return notes
