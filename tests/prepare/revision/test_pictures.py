"""Pictures whose files have changed: known by where they lie, read again, put wherever they were used."""

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo.document import edits, project_file
from aulmo.document.meshes import name_of
from aulmo.document.records import Decal, Node
from aulmo.errors import BadFile
from aulmo.frame.photograph import read
from aulmo.prepare.revision.pictures import put_instead, read_again, used_by, watched
from aulmo.surface.picture_set import load_picture
from shapes import box_mesh, one_part


def drawn(path, colour, size=(40, 20)):
    Image.fromarray(np.full((size[1], size[0], 3), colour, np.uint8)).save(path)
    return path


@pytest.fixture
def project(tmp_path):
    """A box with a picture, a decal of the same, another shot before a photograph."""
    document, assets = one_part(box_mesh())
    label = load_picture(assets, drawn(tmp_path / "label.png", (200, 0, 0)))
    material = replace(document.materials["m"], nodes=(Node("n", "image", image=label, file="label.png"),), wires={"base_color": "n"})
    document = edits.put_material(document, material)
    document = replace(document, decals={"d": Decal(id="d", name="Front label", parts=("ball",), picture=label, file="label.png")})
    photograph = read(drawn(tmp_path / "yard.jpg", (90, 90, 90), (64, 48)), assets)
    document = edits.put_shot(document, replace(document.shots[0], id="s2", name="Yard", photograph=photograph))
    return document, assets, label, photograph.image


def test_where_a_picture_lies_is_kept_with_the_project(project, tmp_path):
    document, assets, label, yard = project
    project_file.save(document, assets, tmp_path / "a.aulmo")
    again, store = project_file.load(tmp_path / "a.aulmo")
    assert watched(again, store) == {label: str(tmp_path / "label.png"), yard: str(tmp_path / "yard.jpg")}
    assert used_by(again, label) == "Plain, Front label" and used_by(again, yard) == "Yard"
    assert watched(replace(again, decals={}, materials={}), store) == {yard: str(tmp_path / "yard.jpg")}


def test_what_is_there_now_is_put_wherever_it_was_used(project, tmp_path):
    document, assets, label, yard = project
    drawn(tmp_path / "label.png", (0, 0, 200))
    drawn(tmp_path / "yard.jpg", (20, 20, 20), (80, 40))
    again = read_again(assets, [label, yard])
    assert [(c.old, c.name, c.words) for c in again.changes] == [(label, "label.png", "40 × 20"), (yard, "yard.jpg", "80 × 40")]
    made = put_instead(document, again)
    fresh = name_of((tmp_path / "label.png").read_bytes(), ".png")
    assert made.materials["m"].nodes[0].image == made.decals["d"].picture == fresh
    assert (made.shots[1].photograph.width, made.shots[1].photograph.height) == (80, 40)
    only = put_instead(document, again, [again.changes[0]])
    assert only.decals == document.decals and only.shots[1].photograph.width == 80


def test_a_file_that_is_broken_or_gone_is_said(project, tmp_path):
    _, assets, label, yard = project
    (tmp_path / "label.png").write_bytes(b"no picture")
    with pytest.raises(BadFile, match=r"label\.png"):
        read_again(assets, [label])
    (tmp_path / "yard.jpg").unlink()
    with pytest.raises(BadFile, match=r"yard\.jpg"):
        read_again(assets, [yard])
