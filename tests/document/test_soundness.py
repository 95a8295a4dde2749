"""Numbers, names and links of a file that cannot be are told; none gets through because nobody thought of its record."""

import json
import random
import zipfile
from pathlib import Path

import pytest

from aulmo.document.project_file import decode
from aulmo.document.records import Document
from aulmo.errors import BadFile

DEMO = Path(__file__).parents[2] / "demo"


def numbers_in(value, path=()):
    """Where numbers stand in plain JSON."""
    if isinstance(value, dict):
        for key, inner in value.items():
            yield from numbers_in(inner, (*path, key))
    elif isinstance(value, list):
        for k, inner in enumerate(value):
            yield from numbers_in(inner, (*path, k))
    elif isinstance(value, (int, float)) and not isinstance(value, bool):
        yield path


def spoiled(text: str, path: tuple, with_: str) -> bytes:
    """JSON with one of its numbers replaced by a text of one."""
    raw = json.loads(text)
    at = raw
    for key in path[:-1]:
        at = at[key]
    at[path[-1]] = "@@"
    return json.dumps(raw).replace('"@@"', with_).encode()


def description(project: str) -> str:
    with zipfile.ZipFile(DEMO / project) as archive:
        return archive.read("document.json").decode()


FINISHED = {
    "finishes": {"f": {"id": "f", "layers": [
        {"id": "l", "name": "Grade", "opacity": 0.5, "width": 0.3, "grade": {
            "exposure": 1.0, "curve": [[0.0, 0.1], [1.0, 0.9]], "glow_size": 20.0, "hues": [{"hue": 3.0, "turn": 4.0}], "sharpen": 1.0},
         "masks": [{"id": "m", "kind": "brush", "feather": 3.0, "points": [[0.1, 0.2]], "strokes": [{"points": [[0.1, 0.2]], "size": 5.0}]}]},
    ], "balance": {"Dome": {"stops": 1.0}}}},
    "paths": {"p": {"id": "p", "name": "Way", "points": [[0.0, 1.0, 2.0], [3.0, 4.0, 5.0]]}},
    "film": {"footage": {"x.mp4": {"start": 1.0, "speed": 2.0}}},
}  # fmt: skip


@pytest.mark.parametrize("wrong", ["1e300", "-1e300", "1e999", "null"])
def test_no_number_of_a_finish_a_path_or_a_film_is_forgotten(wrong):
    text = json.dumps({"schema_version": 10, **FINISHED})
    assert isinstance(decode(text.encode(), "a.aulmo"), Document)
    for path in numbers_in(json.loads(text)):
        if path != ("schema_version",):
            with pytest.raises(BadFile, match=r"^a\.aulmo .*damaged.*\.$"):
                decode(spoiled(text, path, wrong), "a.aulmo")


def test_no_number_of_the_demos_gets_through_spoiled():
    """A handful of each; `./aulmo verify -k attacks` tries hundreds."""
    draw = random.Random(5)
    for project in ("wick.aulmo", "wick-film.aulmo", "wick-range.aulmo"):
        text = description(project)
        for path in draw.sample(sorted(numbers_in(json.loads(text)), key=str), 12):
            with pytest.raises(BadFile):
                decode(spoiled(text, path, "1e300"), "a.aulmo")


@pytest.mark.parametrize("project", sorted(p.name for p in DEMO.glob("*.aulmo")))
def test_every_demo_is_sound(project):
    assert decode(description(project).encode(), project).parts
