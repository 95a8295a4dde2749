"""What goes along with the pictures: the list of parts, everything in one folder, passes by what they are for."""

import csv
import io

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo import script
from aulmo.command.main import main
from aulmo.deliver.collect import collect
from aulmo.deliver.parts_list import HEAD, lines, write_parts_list
from aulmo.document import project_file
from aulmo.document.meshes import digest_of_file
from aulmo.document.records import FaceSet, Material, Part, Placement, Source, Surface
from aulmo.errors import BadValue
from aulmo.surface.materialx_in import read_materials
from aulmo.trace.passes import SETS, USES, check
from shapes import box_mesh, one_part


def workshop(tmp_path):
    """A ball, three equal bolts of one group, and a hidden part; brought in from two files, one of which is gone."""
    document, assets = one_part(box_mesh(20), Surface(base_color=(0.6, 0.1, 0.1)))
    bolt = assets.add_mesh(box_mesh(4))
    steel = Material("steel", "Steel & zinc")
    bolts = {
        f"b{k}": Part(f"b{k}", f"Bolt {k + 1}", parent="g", mesh=bolt, material="steel", placement=Placement((10.0 * k, 0.0, 0.0))) for k in range(3)
    }
    parts = {**document.parts, "g": Part("g", "Bolts", children=tuple(bolts)), **bolts, "h": Part("h", "Hidden", mesh=bolt, visible=False)}
    parts["ball"] = replace(parts["ball"], face_sets=(FaceSet("f", "Rim", (0,), material="steel"),))
    (tmp_path / "odrel.step").write_text("ISO-10303-21;")
    brought = Source("s", "odrel.step", str(tmp_path / "odrel.step"), ("ball",), digest=digest_of_file(tmp_path / "odrel.step"))
    sources = {"s": brought, "t": Source("t", "gone.step", "/nowhere/gone.step", ("g",))}
    document = replace(
        document, parts=parts, roots=(*document.roots, "g", "h"), materials={**document.materials, "steel": steel}, sources=sources, name="Wick/2"
    )  # fmt: skip
    return document, assets


def test_equal_parts_are_one_line_with_their_count_and_size(tmp_path):
    document, assets = workshop(tmp_path)
    first, second = lines(document, assets)
    assert (first.name, first.many, first.within, first.source) == ("Ball", 1, "", "odrel.step")
    assert first.material == "Paint, Steel & zinc" or first.material.endswith("Steel & zinc")
    assert first.size == pytest.approx((20.0, 20.0, 20.0), abs=1e-3) or first.size == pytest.approx((40.0, 40.0, 40.0), abs=1e-3)
    assert (second.name, second.many, second.within, second.source) == ("Bolt 1", 3, "Bolts", "gone.step")
    turned = replace(document.parts["b0"], placement=Placement((0.0, 0.0, 0.0), (0.0, 0.0, 45.0)))
    alone = replace(document, parts={**document.parts, "b0": turned})
    assert lines(alone, assets)[1].size[0] == pytest.approx(second.size[0] * np.sqrt(2), rel=1e-4)


def test_the_list_is_written_as_table_and_to_print(tmp_path):
    document, assets = workshop(tmp_path)
    assert write_parts_list(document, assets, tmp_path / "parts.csv") == 2
    rows = list(csv.reader(io.StringIO((tmp_path / "parts.csv").read_text("utf-8-sig"))))
    assert tuple(rows[0]) == HEAD and rows[2][1:5] == ["Bolt 1", "3", "Bolts", "Steel & zinc"]
    many = {f"x{k}": Part(f"x{k}", f"Odd part {chr(65 + k % 26)}{k}x", mesh=document.parts["b0"].mesh, material="steel") for k in range(120)}
    long = replace(document, parts={**document.parts, **many}, roots=(*document.roots, *many))
    assert write_parts_list(long, assets, tmp_path / "parts.pdf") == 122
    blob = (tmp_path / "parts.pdf").read_bytes()
    assert blob.startswith(b"%PDF") and blob.count(b"/Type /Page\n") >= 3
    before = (tmp_path / "parts.csv").read_bytes()
    with pytest.raises(BadValue, match="should end in"):
        write_parts_list(document, assets, tmp_path / "parts.docx")
    hidden = replace(document, parts={k: replace(p, visible=False) for k, p in document.parts.items()})
    with pytest.raises(BadValue, match="no part to list"):
        write_parts_list(hidden, assets, tmp_path / "parts.csv")
    assert (tmp_path / "parts.csv").read_bytes() == before


def test_a_variant_lists_what_it_shows(tmp_path):
    document, assets = workshop(tmp_path)
    document = script.add_choice(script.add_choice(document, "Trim", "Plain", {}), "Trim", "Bare", {"parts/g/visible": False})
    project_file.save(document, assets, tmp_path / "p.aulmo")
    assert main(["parts", str(tmp_path / "p.aulmo"), "--variant", "Trim=Bare", "--out", str(tmp_path / "bare.csv")]) == 0
    assert len((tmp_path / "bare.csv").read_text("utf-8-sig").splitlines()) == 2


def test_everything_is_collected_in_a_folder_and_opens_there(tmp_path):
    document, assets = workshop(tmp_path)
    project_file.save(document, assets, tmp_path / "p.aulmo")
    assert main(["collect", str(tmp_path / "p.aulmo"), "--out", str(tmp_path / "all")]) == 0
    folder = tmp_path / "all"
    (project,) = folder.glob("*.aulmo")
    assert project.name == "Wick-2.aulmo"
    again, blobs = project_file.load(project)
    assert again.parts.keys() == document.parts.keys() and len(blobs.mesh(again.parts["b0"].mesh).vertices) > 0
    assert (folder / "models" / "odrel.step").read_text() == "ISO-10303-21;"
    assert len(list((folder / "materials").glob("*.mtlx"))) == len(document.materials)
    assert read_materials(folder / "materials" / "Steel & zinc.mtlx", blobs).materials[0].name == "Steel & zinc"
    listed = list(csv.reader(io.StringIO((folder / "contents.csv").read_text("utf-8-sig"))))
    assert all((folder / name).is_file() for name, *_ in listed[1:]) and "parts.csv" in [name for name, *_ in listed]
    with pytest.raises(BadValue, match="holds something"):
        collect(document, assets, folder)
    with pytest.raises(BadValue, match="There is no folder"):
        collect(document, assets, tmp_path / "none" / "all")
    notes = collect(document, assets, tmp_path / "second")
    assert any("gone.step is no longer at /nowhere" in note for note in notes)
    with pytest.raises(BadValue, match="given up"):
        collect(document, assets, tmp_path / "third", lambda share: False)


def test_the_demo_is_collected_with_its_pictures(tmp_path, lantern_project):
    document, assets = project_file.load(lantern_project)
    notes = collect(document, assets, tmp_path / "all")
    names = {p.relative_to(tmp_path / "all").parts[0] for p in (tmp_path / "all").rglob("*") if p.is_file()}
    assert {"pictures", "materials", "parts.csv", "contents.csv"} <= names, notes


def test_passes_are_chosen_by_what_they_are_for():
    assert set(USES["everything"][1]) == set(SETS) and USES["nothing"][1] == ()
    for _, sets in USES.values():
        check(sets)
    assert "mattes" in USES["compositing"][1] and "groups" in USES["light"][1]
