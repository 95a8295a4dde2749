"""Materials go out as MaterialX and come back with the same picture; what has no counterpart, and what is broken, is a sentence."""

import zipfile

import MaterialX as mx
import numpy as np
import pytest
from msgspec.structs import replace

from aulmo import script
from aulmo.document.assets import AssetStore
from aulmo.document.node_table import KINDS
from aulmo.document.records import Adjust, Document, Lay, Material, Node, Stop, Surface, SurfaceLayer
from aulmo.errors import BadFile, BadValue, CannotWrite
from aulmo.surface import library, swatches
from aulmo.surface.compiling import compile_value
from aulmo.surface.materialx_out import written
from aulmo.trace.pattern.program_run import run_points
from aulmo.trace.pattern.programs import ProgramBook, known_of
from dressing import png

PLACES = np.random.default_rng(4).uniform(-20, 20, (30, 3))
UP = np.tile([0.0, 0.0, 1.0], (30, 1))


def one(material: Material) -> Document:
    return Document(materials={material.id: material})


def back(material: Material, tmp_path, assets=None, name="m.mtlx") -> tuple[Material, tuple[str, ...]]:
    assets = assets or AssetStore()
    script.save_materialx(one(material), assets, material.name, tmp_path / name)
    fresh = AssetStore()
    document, ids = script.load_materialx(Document(), fresh, tmp_path / name)
    return document.materials[ids[0]], document.notes


def values(material: Material, reference: str, assets=None, what="") -> np.ndarray:
    book = ProgramBook(assets or AssetStore())
    ops = compile_value(material, reference, book, what)
    lays, pictures, _held = book.tables()
    out = np.zeros((len(PLACES), 3))
    run_points(ops, lays, pictures, PLACES, UP, np.zeros((0, 2)), 0.01, known_of(PLACES), out)
    return out


@pytest.mark.parametrize("kind", sorted(k for k in KINDS if k not in ("image", "tiledimage")))
def test_every_node_goes_out_valid_and_comes_back_with_the_same_values(kind, tmp_path):
    wires = {"base_color": "n"} if kind not in ("normalmap", "heighttonormal", "blendnormals", "tangent") else {"normal": "n"}
    led = {}
    nodes = [Node("p", "position"), Node("c", "constant", {"value": (0.3, 0.6, 0.2)}), Node("w", "noise", {"size_mm": 4.0})]
    for entry in KINDS[kind].inputs:
        if entry.led and entry.name not in ("axis", "metal"):
            led[entry.name] = {"number": "@w", "colour": "@c", "direction": "@p", "either": "@c"}[entry.takes]
    stops = (Stop(0.0, (1.0, 0.0, 0.0)), Stop(0.7, (0.0, 0.5, 1.0))) if kind == "gradient" else ()
    material = Material("m", "Test 1", nodes=(*nodes, Node("n", kind, led, stops=stops)), wires=wires)
    xml, _, _ = written(material, AssetStore())
    document, standard = mx.createDocument(), mx.createDocument()
    mx.readFromXmlString(document, xml)
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), standard)
    document.setDataLibrary(standard)
    sound, why = document.validate()
    assert sound, why
    again, _ = back(material, tmp_path)
    target = next(iter(wires))
    what = "normal" if target == "normal" else ""
    np.testing.assert_allclose(values(again, again.wires[target], what=what), values(material, "n", what=what), atol=1e-9)


@pytest.mark.parametrize("name", swatches.names()[::7] + ["Oiled ash", "Canvas", "White marble", "Wick flame"])
def test_swatches_come_back_as_they_were(name, tmp_path):
    material = swatches.material(name)
    again, _ = back(material, tmp_path)
    led = {"base_color", "base_weight", "emission_color"} & set(material.wires)
    for field in material.surface.__struct_fields__:
        if field not in ("base_color", "base_weight", "emission_color") or not led:
            assert getattr(again.surface, field) == getattr(material.surface, field), field
    assert (again.name, again.kind) == (material.name, material.kind)
    for target, source in material.wires.items():
        if target == "base_weight":  # went out multiplied with the colour
            grown = values(material, source) * np.array(material.surface.base_color)
            np.testing.assert_allclose(values(again, again.wires["base_color"]), grown, atol=1e-9)
        elif target != "emission_color":
            np.testing.assert_allclose(values(again, again.wires[target]), values(material, source), atol=1e-9)


def pictured(tmp_path) -> tuple[Material, AssetStore]:
    assets = AssetStore()
    colour = assets.add(png(np.random.default_rng(1).random((8, 8, 3))), ".png")
    rough = assets.add(png(np.random.default_rng(2).random((8, 8, 3))), ".png")
    lay = Lay("lay", projection="box", width_mm=12.0, blend=0.3)
    nodes = (
        Node("colour", "image", image=colour, file="label.png", lay="lay", adjust=Adjust(contrast=0.6, turned_over=True)),
        Node("dull", "image", image=rough, file="dull.png", as_colour=False, lay="lay"),
        Node("more", "range", {"in": "@dull", "outlow": 0.2, "outhigh": 0.5}),
    )
    return Material(
        "m", "Printed tin", "Metal", Surface(base_metalness=1.0), nodes, {"base_color": "colour", "specular_roughness": "more"}, lays=(lay,)
    ), assets


@pytest.mark.parametrize("name", ["tin.mtlx", "tin.zip"])
def test_pictures_lays_and_adjustments_come_back(name, tmp_path):
    material, assets = pictured(tmp_path)
    script.save_materialx(one(material), assets, "Printed tin", tmp_path / name)
    fresh = AssetStore()
    document, ids = script.load_materialx(Document(), fresh, tmp_path / name)
    again = document.materials[ids[0]]
    assert again.lays == material.lays and document.notes == ()
    for target in material.wires:
        np.testing.assert_allclose(values(again, again.wires[target], fresh), values(material, material.wires[target], assets), atol=1e-9)
    assert (tmp_path / "pictures").exists() == (name == "tin.mtlx")


def test_layers_groups_relief_and_displacement_come_back(tmp_path):
    nodes = (
        Node("a", "noise", {"size_mm": 2.0}, place=(-200.0, 10.0)), Node("h", "range", {"in": "@a", "outhigh": 0.3}),
        Node("flat", "constant", {"value": 0.25}),
    )  # fmt: skip
    layer = SurfaceLayer("worn", "Bare metal", Surface(base_metalness=1.0, specular_roughness=0.2), {"specular_roughness": "flat"}, "@a")
    wires = {"height": "h", "displacement": "h", "coat_height": "h"}
    material = Material("m", "Layered", nodes=nodes, wires=wires, layers=(layer,), displacement_step=0.7, tags=("worn", "old"))
    again, _ = back(material, tmp_path)
    assert again.layers == material.layers and again.displacement_step == 0.7 and again.tags == ("worn", "old")
    for target in wires:
        np.testing.assert_allclose(values(again, again.wires[target]), values(material, "h"), atol=1e-12)
    assert next(n for n in again.nodes if n.id == "a").place == (-200.0, 10.0)


# what comes from outside


def read(tmp_path, body: str, name="from-outside.mtlx", colour="") -> tuple[Material, tuple[str, ...], AssetStore]:
    (tmp_path / name).write_text(f'<?xml version="1.0"?>\n<materialx version="1.38"{colour}>{body}</materialx>')
    assets = AssetStore()
    document, ids = script.load_materialx(Document(), assets, tmp_path / name)
    return document.materials[ids[0]], document.notes, assets


STANDARD = """
<nodegraph name="NG"><image name="i" type="color3"><input name="file" type="filename" value="art/wood.png" colorspace="srgb_texture"/></image>
<noise2d name="n" type="float"><input name="amplitude" type="float" value="0.2"/></noise2d>
<output name="c" type="color3" nodename="i"/><output name="r" type="float" nodename="n"/></nodegraph>
<standard_surface name="S" type="surfaceshader"><input name="base" type="float" value="0.9"/>
<input name="base_color" type="color3" nodegraph="NG" output="c"/><input name="specular_roughness" type="float" nodegraph="NG" output="r"/>
<input name="metalness" type="float" value="0.75"/><input name="coat" type="float" value="0.5"/><input name="specular_rotation" type="float"
value="0.25"/>
<input name="thin_film_thickness" type="float" value="300"/><input name="emission" type="float" value="0.5"/>
<input name="transmission_extra_roughness" type="float" value="0.1"/></standard_surface>
<surfacematerial name="Old_oak" type="material"><input name="surfaceshader" type="surfaceshader" nodename="S"/></surfacematerial>"""


def test_a_standard_surface_is_translated_and_its_picture_found_beside_it(tmp_path):
    (tmp_path / "art").mkdir()
    (tmp_path / "art" / "wood.png").write_bytes(png(np.full((4, 4, 3), 0.5)))
    material, notes, assets = read(tmp_path, STANDARD)
    s = material.surface
    assert material.name == "Old oak" and s.base_weight == 0.9 and s.base_metalness == 0.75 and s.coat_weight == 0.5
    assert (
        s.geometry_tangent_turn == 90.0
        and s.thin_film_thickness == pytest.approx(0.3)
        and s.thin_film_weight == 1.0
        and s.emission_luminance == 500.0
    )
    assert s.specular_ior == 1.5
    picture = next(n for n in material.nodes if n.kind == "image")
    assert picture.file == "wood.png" and assets.get(picture.image) and picture.as_colour and material.wires["base_color"] == picture.id
    assert any("translated from standard surface" in n for n in notes)


def test_a_gltf_surface_is_translated(tmp_path):
    body = """<gltf_pbr name="S" type="surfaceshader"><input name="base_color" type="color3" value="0.5, 0.25, 0.125"/>
    <input name="roughness" type="float" value="0.4"/><input name="clearcoat" type="float" value="1"/><input name="attenuation_distance"
    type="float" value="0.02"/>
    <input name="alpha" type="float" value="0.5"/></gltf_pbr>
    <surfacematerial name="M" type="material"><input name="surfaceshader" type="surfaceshader" nodename="S"/></surfacematerial>"""
    material, _, _ = read(tmp_path, body, colour=' colorspace="acescg"')
    s = material.surface
    assert s.base_color == (0.5, 0.25, 0.125) and s.base_metalness == 1.0 and s.specular_roughness == 0.4 and s.coat_weight == 1.0
    assert s.transmission_depth == 20.0 and s.geometry_opacity == 0.5


def test_colours_are_brought_from_the_files_space(tmp_path):
    from aulmo.surface.colour import from_hex

    body = """<open_pbr_surface name="S" type="surfaceshader"><input name="base_color" type="color3" value="0.639216, 0.164706, 0.101961"
    colorspace="srgb_texture"/>
    </open_pbr_surface><surfacematerial name="M" type="material"><input name="surfaceshader" type="surfaceshader" nodename="S"/></surfacematerial>"""
    material, _, _ = read(tmp_path, body)
    np.testing.assert_allclose(material.surface.base_color, from_hex("#a32a1a"), atol=1e-4)


def test_a_missing_picture_keeps_its_name_and_leaves_what_it_leads(tmp_path):
    material, notes, _ = read(tmp_path, STANDARD)
    picture = next(n for n in material.nodes if n.kind == "image")
    assert picture.image is None and picture.file == "wood.png" and any("wood.png was not found" in n for n in notes)


def surface_led(nodes: str) -> str:
    return f"""<nodegraph name="NG">{nodes}<output name="o" type="color3" nodename="a"/></nodegraph>
    <open_pbr_surface name="S" type="surfaceshader"><input name="base_color" type="color3" nodegraph="NG" output="o"/></open_pbr_surface>
    <surfacematerial name="M" type="material"><input name="surfaceshader" type="surfaceshader" nodename="S"/></surfacematerial>"""


def test_an_unknown_node_is_passed_over_with_a_sentence(tmp_path):
    body = surface_led("""<glitter name="a" type="color3"><input name="in" type="color3" nodename="b"/></glitter>
    <constant name="b" type="color3"><input name="value" type="color3" value="0.1, 0.2, 0.3" colorspace="acescg"/></constant>""")
    material, notes, _ = read(tmp_path, body)
    np.testing.assert_allclose(values(material, material.wires["base_color"])[0], [0.1, 0.2, 0.3], atol=1e-9)
    assert any("glitter" in n for n in notes)


def chain(count: int) -> str:
    nodes = '<constant name="n0" type="color3"/>'
    return nodes + "".join(f'<add name="n{k}" type="color3"><input name="in1" type="color3" nodename="n{k - 1}"/></add>' for k in range(1, count))


def whole(body: str) -> str:
    return f'<materialx version="1.39">{body}</materialx>'


ADD = '<add name="{}" type="color3"><input name="in1" type="color3" nodename="{}"/></add>'
STRANGE = """<wobble name="S" type="surfaceshader"/><surfacematerial name="M" type="material">
<input name="surfaceshader" type="surfaceshader" nodename="S"/></surfacematerial>"""
BROKEN = {
    "not xml": ("<materialx version='1.39'><open", "no MaterialX file"),
    "no text": (b"\xff\xfe\x00\x01\x02\x80" * 20, "not text"),
    "empty": ("", "no MaterialX file"),
    "no material": (whole(""), "no material"),
    "circle": (whole(surface_led(ADD.format("a", "b") + ADD.format("b", "a"))), "circle"),
    "itself": (whole(surface_led(ADD.format("a", "a"))), "circle"),
    "nowhere": (whole(surface_led(ADD.format("a", "gone"))), "not there"),
    "ten thousand": (whole(surface_led(chain(10_000).replace("n9999", "a"))), "more nodes"),
    "strange surface": (whole(STRANGE), "kind that Aulmo does not read"),
}


@pytest.mark.parametrize("fault", BROKEN)
def test_a_broken_file_is_a_sentence_and_the_project_stays(fault, tmp_path):
    text, words = BROKEN[fault]
    path = tmp_path / "broken.mtlx"
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    document = Document(name="Kept")
    with pytest.raises(BadFile, match=words) as told:
        script.load_materialx(document, AssetStore(), path)
    assert "Traceback" not in str(told.value) and "\n" not in str(told.value) and document == Document(name="Kept")


def test_numbers_out_of_range_are_brought_within_and_told(tmp_path):
    body = """<open_pbr_surface name="S" type="surfaceshader"><input name="specular_roughness" type="float" value="7"/>
    <input name="base_metalness" type="float" value="nan"/></open_pbr_surface>
    <surfacematerial name="M" type="material"><input name="surfaceshader" type="surfaceshader" nodename="S"/></surfacematerial>"""
    material, notes, _ = read(tmp_path, body)
    assert material.surface.specular_roughness == 1.0 and material.surface.base_metalness == 0.0 and any("out of range" in n for n in notes)


def test_where_it_cannot_be_written_is_a_sentence(tmp_path):
    material = swatches.material("Copper")
    with pytest.raises(CannotWrite, match="could not be written"):
        script.save_materialx(one(material), AssetStore(), "Copper", tmp_path / "nowhere" / "copper.mtlx")
    with pytest.raises(BadValue, match="no material named"):
        script.save_materialx(one(material), AssetStore(), "Zinc", tmp_path / "zinc.mtlx")
    with pytest.raises(BadValue, match=".mtlx or .zip"):
        script.save_materialx(one(material), AssetStore(), "Copper", tmp_path / "copper.txt")


# a library of one's own


def test_a_swatch_is_one_file_and_comes_back_into_another_project(tmp_path):
    material, assets = pictured(tmp_path)
    path = library.save_swatch(one(material), assets, "m", tmp_path / "mine", ("Tin", "printed"), b"\x89PNG thumbnail")
    assert path.name == "Printed tin.zip" and "Printed_tin.mtlx" not in zipfile.ZipFile(path).namelist()[1:]
    found, trouble = library.swatches_in(tmp_path / "mine")
    assert not trouble and [(s.name, s.kind, s.tags, s.thumbnail) for s in found] == [
        ("Printed tin", "Metal", ("tin", "printed"), b"\x89PNG thumbnail")
    ]
    fresh = AssetStore()
    document, name = library.take(Document(), fresh, path)
    taken = document.materials[name]
    np.testing.assert_allclose(values(taken, taken.wires["base_color"], fresh), values(material, "colour", assets), atol=1e-9)
    assert library.take(document, fresh, path) == (document, name)  # once is enough


def test_swatches_are_found_by_name_tag_kind_and_colour(tmp_path):
    for name, tags in (("Rust enamel", ("lantern",)), ("Pine enamel", ("lantern", "outdoor")), ("Copper", ()), ("Soot lacquer", ())):
        material = swatches.material(name)
        library.save_swatch(one(material), AssetStore(), material.id, tmp_path, tags)
    (tmp_path / "stray.zip").write_bytes(b"not a zip")
    found, trouble = library.swatches_in(tmp_path)
    assert trouble == {tmp_path / "stray.zip": "stray.zip is no swatch, or it is damaged."}
    names = lambda text: [s.name for s in library.searched(found, text)]  # noqa: E731
    assert names("pine") == ["Pine enamel"] and names("outdoor lantern") == ["Pine enamel"] and names("metal") == ["Copper"]
    assert names("red") == ["Rust enamel"] and names("#2a6147") == ["Pine enamel"] and names("black") == ["Soot lacquer"] and names("nothing") == []


def test_copies_are_brought_up_to_date_by_choice(tmp_path):
    material = swatches.material("Copper")
    library.save_swatch(one(material), AssetStore(), material.id, tmp_path)
    document, name = library.take(Document(), AssetStore(), tmp_path / "Copper.zip")
    assert library.outdated(document, AssetStore(), tmp_path) == []
    darker = replace(material, surface=replace(material.surface, specular_roughness=0.5))
    library.save_swatch(one(darker), AssetStore(), material.id, tmp_path)
    assert library.outdated(document, AssetStore(), tmp_path) == [name] and document.materials[name].surface.specular_roughness == 0.2
    fresh = library.updated(document, AssetStore(), [name], tmp_path)
    assert fresh.materials[name].surface.specular_roughness == 0.5 and library.outdated(fresh, AssetStore(), tmp_path) == []


def test_looks_of_a_cad_file_wear_the_swatches_they_are_tied_to(tmp_path):
    copper = swatches.material("Copper")
    library.save_swatch(one(copper), AssetStore(), copper.id, tmp_path)
    library.tie(tmp_path, "Body colour 7", "Copper.zip")
    plain = Material("a", "Body Colour 7")
    other = Material("b", "Grey")
    document = Document(materials={"a": plain, "b": other})
    dressed, notes = library.dressed_by_ties(document, AssetStore(), ["a", "b"], tmp_path)
    assert dressed.materials["a"].surface.base_metalness == 1.0 and dressed.materials["b"] == other and len(notes) == 1
    library.tie(tmp_path, "Body colour 7", "")
    assert library.dressed_by_ties(document, AssetStore(), ["a"], tmp_path) == (document, [])


def test_materials_that_look_the_same_become_one():
    from aulmo.document import edits
    from aulmo.document.records import Part

    one_, two, three = (Material(i, n, surface=Surface(specular_roughness=r)) for i, n, r in (("a", "A", 0.3), ("b", "B", 0.3), ("c", "C", 0.4)))
    document = Document(materials={m.id: m for m in (one_, two, three)})
    document = edits.add_parts(document, [Part(id=i, name=i, material=i) for i in "abc"], ["a", "b", "c"])
    made, gone = library.merged(document)
    assert gone == 1 and set(made.materials) == {"a", "c"} and [p.material for p in made.parts.values()] == ["a", "a", "c"]
    assert library.surface_only(document, "c", "a").materials["a"].surface.specular_roughness == 0.4
