"""Props: kept with all that is theirs, taken into other projects, tied to their files; lamps and decals kept by themselves."""

import json
import zipfile

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo import script
from aulmo.document import edits, project_file
from aulmo.document.assets import AssetStore
from aulmo.document.placement import world_matrix
from aulmo.document.properties import get, put
from aulmo.document.records import Camera, Decal, Document, Key, Lamp, Motion, Part, Placement, Shot, Surface
from aulmo.errors import BadFile, BadValue
from aulmo.prepare import arrange
from aulmo.shelf import keeping, own, props, used
from aulmo.shelf.telling import things_in
from aulmo.surface import swatches
from shapes import box_mesh, one_part, sphere_mesh


def stand() -> tuple[Document, AssetStore]:
    """A group of a ball on a block, twice its size, standing away from the middle; a decal, a lamp, keys, a motion, a colour."""
    document, assets = one_part(sphere_mesh(), Surface(base_color=(0.5, 0.1, 0.05)))
    block = Part(id="block", name="Block", parent="set", mesh=assets.add_mesh(box_mesh(30.0)), material="brass",
        placement=Placement(position=(0, 0, -35)))
    document = edits.put_material(document, replace(swatches.material("Satin brass"), id="brass"))
    top = Part(id="set", name="Stand", children=("ball", "block"), placement=Placement(position=(100, 40, 130), scale=(2, 2, 2)))
    other = Part(id="other", name="Other", mesh=assets.add_mesh(box_mesh(10.0)), material="brass")
    parts = {"set": top, "ball": replace(document.parts["ball"], parent="set"), "block": block, "other": other}
    decal = Decal(id="d", name="Badge", artwork="text", text="Odrel", parts=("ball",), position=(0, -20, 0), turn=(90, 0, 0))
    document = replace(
        document, parts=parts, roots=("set", "other"), decals={"d": decal, "e": replace(decal, id="e", name="Elsewhere", parts=("other",))},
        lamps={"l": Lamp(id="l", name="Inner", stays_with="part", part="set"), "far": Lamp(id="far", name="Far", position=(0, 0, 9000))},
        keys={"parts/ball/placement/position": (Key(0.0, (0.0, 0.0, 0.0)), Key(1.0, (0.0, 0.0, 5.0))), "parts/other/opacity": (Key(0.0, 1.0),)},
        motions={"m": Motion(id="m", name="Spin", wears=("parts/set",)), "n": Motion(id="n", name="Slide", kind="slide", wears=("parts/other",))},
    )  # fmt: skip
    document, colour = script.add_colour(document, "Odrel red", (0.4, 0.02, 0.02))
    worn = document.parts["ball"].material
    return put(document, f"materials/{worn}/surface/base_color", f"colour:{colour}"), assets


def test_a_prop_takes_all_that_is_its_own_and_nothing_else(tmp_path):
    document, assets = stand()
    script.keep_prop(document, assets, "set", tmp_path / "stand.aulmoprop")
    made, ids = script.use_prop(Document(), AssetStore(), tmp_path / "stand.aulmoprop")
    assert [made.parts[i].name for i in ids] == ["Stand"] and len(made.parts) == 3
    assert {m.name for m in made.materials.values()} == {document.materials[document.parts["ball"].material].name, "Satin brass"}
    assert [d.name for d in made.decals.values()] == ["Badge"] and [x.name for x in made.lamps.values()] == ["Inner"]
    assert [m.name for m in made.motions.values()] == ["Spin"] and len(made.keys) == 1
    (lamp,), (decal,), (address,) = made.lamps.values(), made.decals.values(), made.keys
    assert lamp.part == ids[0] and made.parts[decal.parts[0]].name == "Ball" and get(made, address) is not None
    (colour,) = made.colours.values()
    changed = put(made, f"colours/{colour.id}/rgb", (0.1, 0.2, 0.3))
    assert changed.materials[made.parts[decal.parts[0]].material].surface.base_color == (0.1, 0.2, 0.3)


def test_it_arrives_at_its_size_on_the_floor(tmp_path):
    document, assets = stand()
    home = arrange.bounds(document, assets, ["set"])
    script.keep_prop(document, assets, "ball", tmp_path / "ball.aulmoprop")  # from within a group that is twice its size
    script.keep_prop(document, assets, "set", tmp_path / "stand.aulmoprop")
    there = AssetStore()
    target = replace(Document(), floor=replace(Document().floor, height=7.0))
    made, (root,) = script.use_prop(target, there, tmp_path / "stand.aulmoprop")
    low, high = arrange.bounds(made, there, [root])
    np.testing.assert_allclose(high - low, home[1] - home[0], atol=1e-4)
    assert low[2] == pytest.approx(7.0, abs=1e-4) and low[0] == pytest.approx(home[0][0], abs=1e-4)
    made, (ball,) = script.use_prop(made, there, tmp_path / "ball.aulmoprop", at=(300.0, -20.0, 50.0))
    low, high = arrange.bounds(made, there, [ball])
    np.testing.assert_allclose((high - low), (80, 80, 80), atol=0.3)
    np.testing.assert_allclose([*(0.5 * (low + high))[:2], low[2]], (300, -20, 50), atol=1e-3)


def test_twice_the_same_prop_shares_its_materials_and_not_its_ids(tmp_path):
    document, assets = stand()
    document = replace(document, materials={i: replace(m, follows=()) for i, m in document.materials.items()})
    script.keep_prop(document, assets, "set", tmp_path / "stand.aulmoprop")
    store = AssetStore()
    once, first = script.use_prop(Document(), store, tmp_path / "stand.aulmoprop")
    twice, second = script.use_prop(once, store, tmp_path / "stand.aulmoprop")
    assert len(twice.materials) == len(once.materials) and len(twice.parts) == 2 * len(once.parts) and first != second
    assert twice.parts[second[0]].name == "Stand 2"
    project_file.save(twice, store, tmp_path / "both.aulmo")
    assert len(project_file.load(tmp_path / "both.aulmo")[0].props) == 2


def test_it_looks_in_another_project_as_it_did_at_home(tmp_path):
    document, assets = stand()
    camera = Camera(id="c", name="c", position=(100, -600, 180), target=(100, 40, 90), focal_length_mm=60)
    shot = Shot(id="s", name="s", camera="c")
    home = edits.delete_parts(replace(document, keys={}, motions={}, lamps={}, cameras={"c": camera}, shots=(shot,)), ["other"])
    box = arrange.bounds(home, assets, ["set"])
    home = put(home, "parts/set/placement/position/z", get(home, "parts/set/placement/position/z") - float(box[0][2]))
    script.keep_prop(home, assets, "set", tmp_path / "stand.aulmoprop")
    store = AssetStore()
    away, _ = script.use_prop(replace(home, parts={}, roots=(), materials={}, decals={}, colours={}), store, tmp_path / "stand.aulmoprop")
    one = script.render_array(home, assets, size=(48, 36), samples=4, denoise=False)
    other = script.render_array(away, store, size=(48, 36), samples=4, denoise=False)
    assert one[..., :3].std() > 0.02
    np.testing.assert_allclose(other, one, atol=2e-3)


def test_a_tied_prop_tells_of_a_change_and_takes_it_in_its_place(tmp_path):
    document, assets = stand()
    path = tmp_path / "stand.aulmoprop"
    script.keep_prop(document, assets, "set", path)
    store = AssetStore()
    made, (root,) = script.use_prop(Document(), store, path, at=(10.0, 20.0, 0.0), tied=True)
    made = edits.change_part(made, root, name="My stand")
    loose, _ = script.use_prop(made, store, path)
    assert props.changed_props(loose) == []
    script.keep_prop(edits.delete_parts(document, ["block"]), assets, "set", path)
    (told,) = props.changed_props(loose)
    assert told.name == "Stand" and not told.gone
    place = world_matrix(loose, root)
    after = props.updated(loose, store, told.prop)
    (fresh,) = after.props[told.prop].roots
    assert after.parts[fresh].name == "My stand" and len(after.parts) == len(loose.parts) - 1 and root not in after.parts
    np.testing.assert_allclose(world_matrix(after, fresh), place)
    assert props.changed_props(after) == []
    kept = props.passed_over(loose, told.prop)
    assert props.changed_props(kept) == [] and kept.parts == loose.parts
    path.unlink()
    assert props.changed_props(after)[0].gone


def test_what_cannot_be_a_prop_is_told_in_a_sentence(tmp_path):
    document, assets = stand()
    empty = edits.add_parts(document, [Part(id="void", name="Void")], ["void"])
    with pytest.raises(BadValue, match="geometry"):
        script.keep_prop(empty, assets, "void", tmp_path / "void.aulmoprop")
    with pytest.raises(BadValue, match="no part"):
        script.keep_prop(document, assets, "nobody", tmp_path / "x.aulmoprop")
    (tmp_path / "torn.aulmoprop").write_bytes(b"PK\3\4 torn")
    with pytest.raises(BadFile, match="torn"):
        script.use_prop(document, assets, tmp_path / "torn.aulmoprop")
    script.keep_prop(document, assets, "set", tmp_path / "stand.aulmoprop")
    with zipfile.ZipFile(tmp_path / "stand.aulmoprop") as old, zipfile.ZipFile(tmp_path / "new.aulmoprop", "w") as new:
        for member in old.namelist():
            blob = old.read(member)
            new.writestr(member, json.dumps({**json.loads(blob), "schema_version": 99}) if member == "document.json" else blob)
    with pytest.raises(BadFile, match="newer Aulmo"):
        script.use_prop(document, assets, tmp_path / "new.aulmoprop")
    (thing,) = things_in(tmp_path / "new.aulmoprop")
    assert thing.kind == "prop" and "newer" in thing.trouble


def test_lamps_and_decals_are_kept_by_themselves(tmp_path):
    document, assets = stand()
    keeping.keep_lamp(document, assets, "far", tmp_path / "far.aulmolamp", keeping.about("Far lamp", ["Key", " key "], "bright"))
    (thing,) = things_in(tmp_path / "far.aulmolamp")
    assert (thing.name, thing.kind, thing.tags, thing.note) == ("Far lamp", "lamp", ("key",), "bright")
    made, lamp = keeping.lamp_from(Document(), AssetStore(), tmp_path / "far.aulmolamp")
    assert made.lamps[lamp].position == (0, 0, 9000)
    keeping.keep_decal(document, assets, "d", tmp_path / "badge.aulmodecal")
    found = keeping.decal_in(AssetStore(), tmp_path / "badge.aulmodecal")
    assert next(iter(found.decals.values())).text == "Odrel"
    assert keeping.tell(tmp_path / "far.aulmolamp", keeping.about("Near lamp"))
    assert things_in(tmp_path / "far.aulmolamp")[0].name == "Near lamp"


def test_who_uses_what_is_told_in_this_project_and_in_others(tmp_path):
    document, assets = stand()
    script.keep_prop(document, assets, "set", tmp_path / "stand.aulmoprop")
    (thing,) = things_in(tmp_path / "stand.aulmoprop")
    store = AssetStore()
    made, (root,) = script.use_prop(Document(), store, tmp_path / "stand.aulmoprop")
    assert used.of(thing, used.uses(made, store)) == "Stand" and used.parts_of(thing, made, store) == [root]
    brass = next(t for t in own.things() if t.name == "Satin brass")
    assert used.of(brass, used.uses(made, store)) == "Block"
    camera = Camera(id="c", name="c")
    shots = (Shot(id="a", name="Hero", camera="c"), Shot(id="b", name="Empty", camera="c", overrides={f"parts/{root}/visible": False}))
    seen = replace(made, cameras={"c": camera}, shots=shots)
    assert used.of(thing, used.uses(seen, store)) == "Stand (in Hero)"
    project_file.save(made, store, tmp_path / "last year.aulmo")
    assert used.in_projects(thing, [tmp_path / "last year.aulmo"]) == ["last year"] == used.in_projects(brass, [tmp_path / "last year.aulmo"])
    assert used.in_projects(things_in(tmp_path / "last year.aulmo")[0], [tmp_path / "last year.aulmo"]) == []


def test_dress_takes_materials_of_the_project_by_name():
    document, _ = stand()
    mine = next(m for m in document.materials.values() if m.name != "Satin brass")
    made = script.dress(edits.put_material(document, replace(mine, name="Odrel lacquer")), "Other", "Odrel lacquer")
    assert made.parts["other"].material == mine.id
    with pytest.raises(BadValue, match="no swatch"):
        script.dress(document, "Other", "Moon dust")
