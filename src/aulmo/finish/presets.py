"""Finishes kept by name for other projects, each a file of its own with what it needs."""

import base64
from pathlib import Path

import msgspec
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.file_names import file_name
from aulmo.document.finish_records import Finish
from aulmo.document.writing import write_atomically
from aulmo.errors import BadFile, BadValue

ENDING = ".finish.json"
LARGEST = 200 << 20


class Preset(msgspec.Struct):
    """A finish without its balance and reference, which belong to a shot, and the files it uses."""

    finish: Finish
    files: dict[str, str] = {}
    preset: int = 1


def names(folder: Path) -> list[str]:
    """The presets of a folder."""
    return sorted((p.name.removesuffix(ENDING) for p in Path(folder).glob(f"*{ENDING}")), key=str.casefold) if Path(folder).is_dir() else []


def save_preset(folder: Path, name: str, finish: Finish, assets: AssetStore) -> Path:
    """Keep a finish under a name. Raises BadValue or CannotWrite."""
    if file_name(name, None) != name:
        raise BadValue(f"{name or 'Nothing'} is no name for a file.")
    used = [n for layer in finish.layers for n in (layer.picture, layer.grade.lut) if n]
    kept = {n: base64.b64encode(assets.get(n)).decode() for n in dict.fromkeys(used)}
    blob = msgspec.json.encode(Preset(replace(finish, id="", name=name, balance={}, reference=None, reference_file=""), kept))
    Path(folder).mkdir(parents=True, exist_ok=True)
    path = Path(folder) / f"{name}{ENDING}"
    write_atomically(path, lambda file: file.write(blob))
    return path


def load_preset(path: Path, assets: AssetStore) -> Finish:
    """A finish that was kept, with new ids, its files among the assets. Raises BadFile with one sentence."""
    path = Path(path)
    try:
        if path.stat().st_size > LARGEST:
            raise BadFile(f"{path.name} is too large for a preset.")
        held = msgspec.json.decode(path.read_bytes(), type=Preset)
        files = {name: base64.b64decode(text, validate=True) for name, text in held.files.items()}
    except OSError:
        raise BadFile(f"There is no preset {path.name}.") from None
    except (msgspec.MsgspecError, ValueError):
        raise BadFile(f"{path.name} is no preset of a finish, or it is damaged.") from None
    fresh = {old: assets.add(blob, Path(old).suffix) for old, blob in files.items()}
    ids = {layer.id: edits.new_id() for layer in held.finish.layers}
    layers = tuple(
        replace(
            x, id=ids[x.id], inside=ids.get(x.inside, ""), picture=fresh.get(x.picture or ""),
            grade=replace(x.grade, lut=fresh.get(x.grade.lut or "")), masks=tuple(replace(m, id=edits.new_id()) for m in x.masks),
        )
        for x in held.finish.layers
    )  # fmt: skip
    return replace(held.finish, id="", layers=layers)
