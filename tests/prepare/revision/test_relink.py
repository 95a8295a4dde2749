"""A file that comes again, changed: what was done stays with its part, and what could not be kept is told."""

import numpy as np
import pytest
from msgspec.structs import replace

import reading_here
from aulmo import script
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.placement import world_matrix
from aulmo.document.project_file import load, save
from aulmo.document.records import Decal, Document, FaceSet, Finesse, Material, Surface
from aulmo.errors import AulmoError, BadFile, BadValue
from aulmo.prepare import arrange
from aulmo.prepare.import_file import change_finesse, import_file
from aulmo.prepare.revision.compare import read_revision, source_for
from aulmo.prepare.revision.take import dismiss, take
from engineering import GREY, RED, at, ball, box, drilled, machine, rod, send
from shapes import block


@pytest.fixture(scope="module", autouse=True)
def _here():
    with reading_here.in_this_process():
        yield


@pytest.fixture(scope="module")
def first(tmp_path_factory):
    """The machine as it came first, dressed and set in motion."""
    path = send(tmp_path_factory.mktemp("engineer") / "machine.step", machine())
    assets = AssetStore()
    document = import_file(Document(name="Machine"), assets, path).document
    part = {p.name: p.id for p in document.parts.values()}
    document = edits.put_material(document, Material(id="brass", name="Brass", surface=Surface(base_metalness=1.0)))
    document = edits.assign_material(document, [part["Foot"], part["Foot 2"], part["Foot 3"], part["Foot 4"], part["Knob"]], "brass")
    top = max(script_faces(assets, document, part["Base"]), key=lambda f: f[1])[0]
    document = edits.put_face_set(document, part["Base"], FaceSet(id="top", name="Top", faces=(top,), material="brass"))
    document = replace(document, decals={"d": Decal(id="d", name="Mark", parts=(part["Lens"],), position=(0.0, -12.0, 20.0))})
    document = script.add_key(document, f"parts/{part['Plate']}/placement/position", 0.0, (0.0, -21.0, 2.0))
    document = edits.change_part(document, part["Foot 2"], visible=False)
    return document, assets, path, part


def script_faces(assets, document, part_id) -> list[tuple[int, float]]:
    """The faces of a part and how high the middle of each lies."""
    mesh = assets.mesh(document.parts[part_id].mesh)
    middles = mesh.vertices[mesh.triangles].mean(1)
    return [(int(n), float(middles[mesh.faces == n][:, 2].mean())) for n in np.unique(mesh.faces)]


def again(first, tmp_path, change):
    """The machine with an engineer's changes, taken."""
    document, assets, _, part = first
    groups = machine()
    change(groups)
    made, report = script.relink(document, assets, send(tmp_path / "machine.step", groups))
    return made, report, part


def put(groups, group, name, shape=None, places=None, colour=None, called=None):
    groups[group] = [
        (called or n, shape or s, colour or c, places or p) if n == name else (n, s, c, p) for n, s, c, p in groups[group]
    ]  # fmt: skip


def test_the_same_file_again_changes_nothing_though_all_is_renumbered(first, tmp_path):
    def renumber(groups):
        for group in reversed(list(groups)):
            groups[group] = groups.pop(group)[::-1]

    made, report, part = again(first, tmp_path, renumber)
    assert (report["new"], report["gone"], report["lost"]) == ([], [], []) and len(report["kept"]) == 8
    document = first[0]
    assert {i: replace(p, source_key="") for i, p in made.parts.items()} == {i: replace(p, source_key="") for i, p in document.parts.items()}
    assert made.keys == document.keys and made.decals == document.decals and made.materials == document.materials


def test_every_kind_of_change_is_taken_and_what_was_done_stays(first, tmp_path):
    def change(groups):
        put(groups, "Head", "Lens", rod(12, 44))
        put(groups, "Head", "Knob", called="Regulator", places=[at(36.4, 0, 8)])
        groups["Stand"].append(("Spring", ball(2), (0.5, 0.5, 0.52), [at(10, 10, 14), at(-10, 10, 14)]))
        groups["Stand"] = [m for m in groups["Stand"] if m[0] != "Plate"]
        put(groups, "Stand", "Base", drilled(box(60, 40, 12), 3, 15))

    made, report, part = again(first, tmp_path, change)
    document = first[0]
    assert report["new"] == ["Spring", "Spring 2"] and report["gone"] == ["Plate"]
    assert [s for s in report["lost"] if s.startswith("Plate is gone: 1 key")] and len(report["lost"]) == 1
    lens, knob, base = (made.parts[part[n]] for n in ("Lens", "Knob", "Base"))
    mesh = first[1].mesh(lens.mesh)
    assert np.ptp(mesh.vertices[:, 2]) == pytest.approx(44, abs=0.01) and made.decals["d"] == document.decals["d"]
    assert knob.name == "Regulator" and knob.material == "brass"
    moved = world_matrix(made, knob.id)[:3, 3] - world_matrix(document, knob.id)[:3, 3]
    assert moved == pytest.approx([2.4, 0, 0], abs=1e-6)
    (top,) = base.face_sets
    heights = dict(script_faces(first[1], made, base.id))
    assert top.material == "brass" and heights[top.faces[0]] == max(heights.values())
    assert not made.parts[part["Foot 2"]].visible and all(made.parts[part[f"Foot{n}"]].material == "brass" for n in ("", " 3", " 4"))
    springs = [p for p in made.parts.values() if p.name.startswith("Spring")]
    assert {p.material for p in springs} == {"brass"}, "what looks like the feet in the file wears what they wear here"
    assert {p.parent for p in springs} == {base.parent}
    aside = made.parts[part["Plate"]]
    assert not aside.visible and f"parts/{aside.id}/placement/position" in made.keys
    (source,) = made.sources.values()
    gone = dismiss(made, source.id)
    assert aside.id not in gone.parts and gone.keys == {} and next(iter(gone.sources.values())).aside == ()


def test_a_part_that_the_artist_moved_moves_on_from_there(first, tmp_path):
    document, assets, _, part = first
    own = edits.place_parts(document, {part["Knob"]: replace(document.parts[part["Knob"]].placement, position=(40.0, 5.0, 8.0))})
    groups = machine()
    put(groups, "Head", "Knob", places=[at(34, 0, 18)])
    made, _ = script.relink(own, assets, send(tmp_path / "machine.step", groups))
    assert made.parts[part["Knob"]].placement.position == pytest.approx((40.0, 5.0, 18.0), abs=1e-6)


def test_a_colour_of_the_file_is_taken_where_nobody_chose_another(first, tmp_path):
    def change(groups):
        put(groups, "Head", "Lens", colour=RED)
        put(groups, "Head", "Knob", colour=RED)

    made, report, part = again(first, tmp_path, change)
    base = made.parts[part["Base"]].material
    assert made.parts[part["Lens"]].material == base and made.parts[part["Knob"]].material == "brass"
    assert any("Knob has another colour" in n for n in report["notes"])


def test_the_finesse_that_was_chosen_stays(first, tmp_path):
    document, assets, _, part = first
    finer = change_finesse(document, assets, [part["Lens"]], Finesse(0.01, 3.0))
    groups = machine()
    put(groups, "Head", "Lens", rod(12, 44))
    made, _ = script.relink(finer, assets, send(tmp_path / "machine.step", groups))
    lens = made.parts[part["Lens"]]
    assert lens.finesse == Finesse(0.01, 3.0) and len(assets.mesh(lens.mesh).triangles) > 200


def test_the_old_revision_stays_as_a_choice(first, tmp_path):
    from aulmo.document.properties import resolve

    document, assets, _, part = first
    groups = machine()
    put(groups, "Head", "Lens", rod(12, 44))
    groups["Stand"].append(("Spring", ball(2), RED, [at(10, 10, 14)]))
    path = send(tmp_path / "machine.step", groups)
    revision = read_revision(document, assets, source_for(document, path).id, path)
    made, _ = take(document, assets, revision, keep_old=True)
    (axis,) = [a for a in made.axes if a.name == "Revision"]
    assert [c.name for c in axis.choices] == ["New", "Before"]

    def shown(choice):
        seen = resolve(made, {axis.name: choice})
        meshes = [assets.mesh(p.mesh) for p in seen.parts.values() if p.mesh and p.visible and p.name.startswith(("Lens", "Spring"))]
        return sorted(round(float(np.ptp(m.vertices[:, 2])), 1) for m in meshes)

    assert shown("New") == [4.0, 44.0] and shown("Before") == [30.0]


def test_changes_that_are_not_ticked_are_left(first, tmp_path):
    document, assets, _, part = first
    groups = machine()
    put(groups, "Head", "Lens", rod(12, 44))
    put(groups, "Head", "Knob", places=[at(36.4, 0, 8)])
    path = send(tmp_path / "machine.step", groups)
    revision = read_revision(document, assets, source_for(document, path).id, path)
    told = {(c.kind, c.name): c.words for c in revision.changes}
    assert told == {("reshaped", "Lens"): "14 mm taller", ("moved", "Knob"): "2.4 mm along x"}
    made, _ = take(document, assets, revision, [c for c in revision.changes if c.kind == "reshaped"])
    assert made.parts[part["Lens"]].mesh == document.parts[part["Lens"]].mesh
    assert made.parts[part["Knob"]].placement.position[0] == pytest.approx(36.4)


def test_a_pair_that_may_be_one_is_decided_by_whoever_looks(first, tmp_path):
    document, assets, _, part = first
    groups = machine()
    put(groups, "Head", "Knob", box(9, 9, 11), called="Lever")
    path = send(tmp_path / "machine.step", groups)
    revision = read_revision(document, assets, source_for(document, path).id, path)
    (doubted,) = revision.pairs.doubtful
    apart, report = take(document, assets, revision)
    assert report.new == ("Lever",) and report.gone == ("Knob",)
    one, report = take(document, assets, revision, decided={doubted: True})
    assert report.new == () == report.gone and one.parts[part["Knob"]].material == "brass" and one.parts[part["Knob"]].name == "Lever"


def test_another_product_comes_in_beside_and_is_told(first, tmp_path):
    document, assets, _, _ = first
    other = send(tmp_path / "machine.step", {"Pump": [("Body", rod(40, 90), RED, [at(500, 0, 0)]), ("Cap", ball(33), RED, [at(500, 0, 200)])]})
    made, report = script.relink(document, assets, other)
    assert set(document.parts) < set(made.parts) and len(made.sources) == 2 and report["kept"] == []
    assert "another product" in report["notes"][0]


def test_numbers_of_another_unit_are_noticed(tmp_path):
    from trimesh import Trimesh

    mesh, cap = block((0, 0, 0), (40, 30, 20)), block((5, 5, 20), (10, 10, 30))
    both = lambda f: Trimesh(np.concatenate([mesh.vertices, cap.vertices]) * f, np.concatenate([mesh.triangles, cap.triangles + 24]), process=False)  # noqa: E731
    path = tmp_path / "part.stl"
    both(1.0).export(path)
    document, assets = script.import_model(path)
    both(1 / 25.4).export(path)
    (source,) = document.sources.values()
    revision = read_revision(document, assets, source.id, path)
    assert "another unit" in revision.unit_words


def test_what_was_said_is_saved_with_the_project(first, tmp_path):
    document, assets, _, part = first
    save(document, assets, tmp_path / "m.aulmo")
    back, held = load(tmp_path / "m.aulmo")
    groups = machine()
    put(groups, "Head", "Knob", places=[at(36.4, 0, 8)])
    made, report = script.relink(back, held, send(tmp_path / "machine.step", groups))
    assert report["lost"] == [] and made.parts[part["Knob"]].placement.position[0] == pytest.approx(36.4)


@pytest.mark.parametrize("fault", ["gone", "forbidden", "broken", "empty", "stranger"])
def test_a_file_that_is_no_good_gets_a_sentence_and_changes_nothing(first, tmp_path, fault):
    document, assets, _, _ = first
    path = tmp_path / "machine.step"
    if fault == "broken":
        path.write_text("ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\n#1=")
    elif fault == "empty":
        path.write_bytes(b"")
    elif fault == "forbidden":
        path.mkdir()
    elif fault == "stranger":
        path = tmp_path / "other.stl"
        path.write_text("solid\nendsolid\n")
    with pytest.raises((BadValue, BadFile) if fault == "stranger" else AulmoError) as told:
        script.relink(document, assets, path)
    assert len(str(told.value)) > 12 and "\n" not in str(told.value)


def test_a_thin_plate_that_grew_a_little_thicker_is_another_shape(tmp_path):
    path = send(tmp_path / "a.step", {"Stand": [("Plate", box(600, 300, 6), GREY, [at()]), ("Base", box(60, 40, 12), RED, [at(0, 0, 20)])]})
    document, assets = script.import_model(path)
    send(path, {"Stand": [("Plate", box(600, 300, 6.8), GREY, [at()]), ("Base", box(60, 40, 12), RED, [at(0, 0, 20)])]})
    revision = read_revision(document, assets, next(iter(document.sources)), path)
    assert [(c.kind, c.name, c.words) for c in revision.changes] == [("reshaped", "Plate", "0.8 mm taller")]
    made, _ = take(document, assets, revision)
    plate = next(i for i, p in made.parts.items() if p.name == "Plate")
    assert arrange.size_of(made, assets, [plate])[2] == pytest.approx(6.8)
