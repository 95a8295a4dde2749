"""Properties by address: every value an artist can set is found, checked, blended and resolved by one table."""

import math
import typing

import msgspec
import numpy as np
import pytest
from hypothesis import given, strategies as st
from msgspec.structs import replace

from aulmo.document import edits, records as r
from aulmo.document.moments import Moments
from aulmo.document.node_table import KINDS
from aulmo.document.placement import to_matrix, turn_matrix, world_matrices
from aulmo.document.properties import about, accepted, blend, get, put, put_many, resolve, sentence, turn_between
from aulmo.document.property_table import NODE_INPUTS, OF_NODES, RECORDS, TABLE
from aulmo.document.references import references
from aulmo.errors import BadValue
from aulmo.surface.swatches import material, names
from shapes import box_mesh, one_part


def full() -> r.Document:
    """A document with one of everything."""
    document, _ = one_part(box_mesh())
    ash = material("Oiled ash")
    document = edits.put_lamp(edits.put_material(document, ash), r.Lamp(id="l", name="Key"))
    return replace(document, environment=replace(document.environment, sky=r.Sky()), floor=r.Floor(kind="plain", material=ash.id))


# what names something or says what hangs where; everything else is a property
LINKS = {
    r.Carton: {"creases", "prints"}, r.Crease: {"id"}, r.Print: {"id"},
    r.Part: {"carton", "mends", "id", "parent", "children", "placement", "finesse", "face_sets", "set_piece", "copies", "piece"},
    r.FaceSet: {"id"}, r.GuidePath: {"id"}, r.Selection: {"id"}, r.Source: {"id"}, r.Prop: {"id"},
    r.Node: {"id", "inputs", "adjust"}, r.ProjectColour: {"id"}, r.Follow: {"at", "colour"},
    r.Material: {"id", "surface", "nodes", "wires", "pictures", "lays", "layers", "groups", "follows"}, r.NodeGroup: {"id"},
    r.SurfaceLayer: {"id", "surface", "wires"}, r.Lay: {"id"},
    r.Decal: {"id", "adjust", "follows"}, r.Backdrop: {"follows"},
    r.Environment: {"sky", "softboxes"}, r.Softbox: {"id", "follows"}, r.Lamp: {"id", "copies", "follows"}, r.Camera: {"id"},
    r.Shot: {"id", "overrides", "picks", "photograph"},
    r.Photograph: {"lines", "sticks", "patch", "cutouts"}, r.SightLine: {"id"}, r.ShadowStick: {"id"}, r.Cutout: {"id"},
    r.Motion: {"id"}, r.Cut: {"id"}, r.Marker: {"id"}, r.LaneGroup: {"id"}, r.Choice: {"id", "overrides"}, r.Axis: {"id", "choices"},
    r.Film: {"reel", "markers", "groups", "footage"},
    r.Remark: {"id"}, r.RenderSettings: {"film", "preview"},
    r.Finish: {"id", "layers", "balance"}, r.Layer: {"id", "grade", "masks"}, r.Mask: {"id"},
    r.Document: {
        "schema_version", "parts", "roots", "selections", "sources", "props", "paths", "materials", "colours", "decals",
        "environment", "backdrop", "floor", "lamps", "cameras", "shots", "render", "keys",
        "motions", "film", "axes", "refused", "moved", "finishes", "remarks",
    },
}  # fmt: skip


@pytest.mark.parametrize("record", [record for record in RECORDS if record not in (r.Key, r.Stroke)])
def test_no_field_of_a_record_is_forgotten_in_the_table(record):
    fields = {f.name for f in msgspec.structs.fields(record)}
    assert set(TABLE[record]) == fields - LINKS.get(record, set())


def test_every_input_of_every_node_is_in_the_table_and_its_default_in_range():
    for kind in KINDS.values():
        for one in kind.inputs:
            if one.default is not None:
                assert accepted(NODE_INPUTS[one.name], one.default) == one.default, (kind.name, one.name)
                assert accepted(OF_NODES[kind.name][one.name], one.default) == one.default, (kind.name, one.name)


@pytest.mark.parametrize("name", names())
def test_every_swatch_of_the_shelf_is_sound(name):
    swatch = material(name)
    for field in swatch.surface.__struct_fields__:
        value = getattr(swatch.surface, field)
        assert accepted(about(f"materials/m/surface/{field}"), value) == value


@pytest.mark.parametrize(
    ("address", "value"),
    [
        ("parts/ball/placement/position", (1.0, 2.0, 3.0)), ("parts/ball/placement/turn/z", 30.0), ("parts/ball/visible", False),
        ("materials/m/surface/base_color", (0.1, 0.2, 0.3)), ("cameras/c/focal_length_mm", 35.0), ("environment/turn", 12.0),
        ("environment/sky/hour", 9.5), ("lamps/l/stops", -1.0), ("floor/height", 4.0), ("render/samples", 12), ("shots/s/width", 640),
        ("name", "Renamed"), ("frames_per_second", 50.0), ("floor/material", "m"), ("lamps/l/kind", "disc"), ("floor/material", None),
    ],
)  # fmt: skip
def test_what_is_put_is_got_and_nothing_else_changes(address, value):
    document = full()
    after = put(document, address, value)
    assert get(after, address) == value
    assert put(after, address, get(document, address)) == document
    roots = {f: getattr(document, f) is getattr(after, f) for f in document.__struct_fields__}
    assert [f for f, same in roots.items() if not same] == [address.split("/")[0]]


def test_a_nodes_input_has_an_address():
    document = full()
    ash = document.materials[document.floor.material]
    address = f"materials/{ash.id}/nodes/wood/inputs/ring_mm"
    assert get(put(document, address, 3.5), address) == 3.5
    with pytest.raises(BadValue, match="Rings has to lie between"):
        put(document, address, -1.0)


@pytest.mark.parametrize(
    "address",
    ["", "parts", "parts/ball", "parts/none/visible", "cameras/c/colour", "environment/turn/x", "floor/material/x", "lamps/l/stops/y", "x/y"],
)
def test_what_is_no_property_says_so(address):
    with pytest.raises(BadValue, match="There is no property"):
        put(full(), address, 1.0)


@pytest.mark.parametrize(
    ("address", "value", "words"),
    [
        ("cameras/c/focal_length_mm", 0.0, "Focal length has to lie between 1 and 10000 mm"),
        ("cameras/c/focal_length_mm", math.nan, "has to lie between"),
        ("parts/ball/placement/scale", (1.0, 0.0, 1.0), "cannot be nothing"),
        ("parts/ball/placement/position", (1e300, 0.0, 0.0), "has to lie between"),
        ("parts/ball/visible", 1.0, "either on or off"),
        ("render/samples", 1.5, "whole number"),
        ("render/samples", True, "has to be a number"),
        ("floor/kind", "lava", "can be none, plain, cove, shadow"),
        ("materials/m/surface/base_color", (1.0, 2.0), "three numbers"),
        ("name", 5.0, "has to be a text"),
    ],
)
def test_a_nonsense_value_gets_a_sentence_and_changes_nothing(address, value, words):
    with pytest.raises(BadValue, match=words):
        put(full(), address, value)


def test_several_are_put_at_once_or_none():
    document = full()
    place = "parts/ball/placement/position"
    both = put_many(document, {"lamps/l/stops": 1.0, "floor/turn": 10.0, f"{place}/x": 4.0, f"{place}/y": 5.0})
    assert (both.lamps["l"].stops, both.floor.turn, both.parts["ball"].placement.position) == (1.0, 10.0, (4.0, 5.0, 0.0))
    with pytest.raises(BadValue):
        put_many(document, {"lamps/l/stops": 1.0, "floor/turn": math.inf})


def test_undo_says_what_was_changed():
    document = full()
    assert sentence(document, "cameras/c/focal_length_mm") == "Focal length of Camera 1"
    assert sentence(document, "environment/turn") == "Turn of the dome"


# between two values


def test_a_spin_about_one_axis_counts_whole_turns():
    assert turn_between((0.0, 0.0, 0.0), (0.0, 0.0, 720.0), 0.25) == (0.0, 0.0, 180.0)


@given(st.tuples(*[st.floats(-170, 170)] * 3), st.tuples(*[st.floats(-170, 170)] * 3), st.floats(0.01, 0.99))
def test_a_turn_about_several_axes_goes_round_one_axis_evenly(one, other, share):
    """The rotation from the start to the share is the share of the whole rotation, about the same axis."""
    if max(abs(b - a) for a, b in zip(one, other)) > 180 or sum(abs(b - a) > 1e-3 for a, b in zip(one, other)) < 2:
        return
    start, end = turn_matrix(one), turn_matrix(other)
    angle = lambda m: math.acos(max(-1.0, min(1.0, (np.trace(m) - 1) / 2)))  # noqa: E731
    whole = angle(start.T @ end)
    if not 0.05 < whole < math.pi - 0.05:
        return
    there = turn_matrix(turn_between(one, other, share))
    assert angle(start.T @ there) == pytest.approx(share * whole, abs=2e-3)
    assert angle(there.T @ end) == pytest.approx((1 - share) * whole, abs=2e-3)


def test_light_goes_in_stops_an_azimuth_the_shorter_way_and_a_switch_at_once():
    assert blend(about("lamps/l/power"), 100.0, 400.0, 0.5) == pytest.approx(200.0)
    assert blend(about("environment/sky/azimuth"), 350.0, 10.0, 0.5) == pytest.approx(360.0)
    assert blend(about("parts/p/visible"), True, False, 0.99) is True
    assert blend(about("cameras/c/roll"), 0.0, 90.0, 0.5) == 45.0


# resolving


def test_without_choices_or_keys_the_very_document_is_given():
    document = full()
    assert resolve(document) is document and resolve(document, {}, 3.0) is document
    assert resolve(document, {"shot": "s"}) is document


def test_keys_are_met_between_held_before_and_after_and_gone_when_resolved():
    document = replace(full(), keys={"cameras/c/focal_length_mm": (r.Key(1.0, 50.0), r.Key(3.0, 200.0))})
    focal = lambda t: resolve(document, {}, t).cameras["c"].focal_length_mm  # noqa: E731
    assert (focal(0.0), focal(1.0), focal(3.0), focal(9.0)) == (50.0, 50.0, 200.0, 200.0)
    assert focal(2.0) == pytest.approx(100.0)  # lenses go by ratios
    assert resolve(document, {}, 2.0).keys == {}
    assert resolve(document, {}, 2.0).parts is document.parts  # what no key holds is shared


def test_what_differs_in_a_shot_comes_before_the_keys():
    document = full()
    shot = replace(document.shots[0], overrides={"floor/kind": "cove", "environment/turn": 40.0})
    document = replace(document, shots=(shot,), keys={"environment/turn": (r.Key(0.0, 1.0), r.Key(1.0, 3.0))})
    seen = resolve(document, {"shot": "s"}, 0.5)
    assert seen.floor.kind == "cove" and seen.floor.material == document.floor.material and seen.environment.turn == 2.0
    assert resolve(document, {}, 0.5).floor.kind == "plain"
    assert seen.shots[0].overrides == {}
    for wrong in ({"shot": "none"}, {"colour": "red"}):
        with pytest.raises(BadValue, match="There is no"):
            resolve(document, wrong)


def test_keys_of_what_is_gone_change_nothing_and_go_with_it():
    document = replace(full(), keys={"parts/ball/placement/position": (r.Key(0.0, (1.0, 0.0, 0.0)),), "floor/turn": (r.Key(0.0, 5.0),)})
    document = replace(document, shots=(replace(document.shots[0], overrides={"parts/ball/visible": False}),))
    without = edits.delete_parts(document, ["ball"])
    assert set(without.keys) == {"floor/turn"} and without.shots[0].overrides == {}
    assert resolve(replace(without, keys=document.keys), {}, 0.0).parts == {}


def test_moments_of_an_exposure():
    document = full()
    eye = replace(document.cameras["c"], motion_blur=True, shutter=0.5)
    document = replace(
        document, cameras={"c": eye}, keys={"parts/ball/placement/position": (r.Key(0.0, (0.0, 0.0, 0.0)), r.Key(1.0, (100.0, 0.0, 0.0)))}
    )
    moments = Moments(document, {}, 0.25, "c")
    at = lambda share: moments.at(share).parts["ball"].placement.position[0]  # noqa: E731
    assert moments.lasting and moments.moving_parts() == {"ball"}
    assert (at(0.0), at(0.5), at(1.0)) == (25.0, 50.0, 75.0)
    middle, later = moments.around()
    assert later.parts["ball"].placement.position[0] - middle.parts["ball"].placement.position[0] == pytest.approx(100 / 25)


# places


def test_matrices_of_many_parts_are_those_of_each():
    rng = np.random.default_rng(3)
    parts = {}
    for k in range(60):
        parent = f"p{(k - 1) // 3}" if k else None
        place = r.Placement(tuple(rng.normal(size=3) * 50), tuple(rng.uniform(-180, 180, 3)), tuple(rng.uniform(0.5, 2, 3)))
        children = tuple(f"p{c}" for c in range(3 * k + 1, 3 * k + 4) if c < 60)
        parts[f"p{k}"] = r.Part(id=f"p{k}", name="P", parent=parent, children=children, placement=place)
    document = r.Document(parts=parts, roots=("p0",))
    worlds = world_matrices(document)
    for part_id, part in parts.items():
        above = worlds[part.parent] if part.parent else np.eye(4)
        np.testing.assert_allclose(worlds[part_id], above @ to_matrix(part.placement), atol=1e-9)


# references


def test_every_text_that_could_name_something_says_what_it_names():
    """A field of text is plain words, or annotated with what it points at; nothing in between, or a save would forget it."""
    plain = {
        "id", "name", "kind", "source_key", "projection", "axis", "date", "unit", "group", "view", "stop", "file_type", "folder", "roots", "notes",
        "path", "up", "text", "anchor", "made_for", "catches", "file", "lay", "swatch", "shot", "known", "source", "finish", "reference_file",
        "inside", "follows", "digest", "stamp", "note", "by", "at", "pinned", "board", "rests", "fluted", "form", "side", "role",
    }  # fmt: skip
    from aulmo.document.references import _fields

    for record in (v for v in vars(r).values() if isinstance(v, type) and issubclass(v, r.Record)):
        links = {link.field for link in _fields(record)[0]}
        for field in msgspec.structs.fields(record):
            text = field.type is str or (msgspec.inspect.type_info(field.type).__class__.__name__ in ("StrType", "Metadata"))
            if text:
                assert field.name in plain or field.name in links, (record, field.name)


@pytest.mark.parametrize(
    ("change", "kind", "name"),
    [
        (lambda d: put(d, "parts/ball/mesh", "x.mesh"), "assets", "x.mesh"),
        (lambda d: put(d, "parts/ball/shape", "x.shape"), "assets", "x.shape"),
        (lambda d: put(d, "lamps/l/profile", "x.ies"), "assets", "x.ies"),
        (lambda d: replace(d, environment=replace(d.environment, image="x.exr", shipped=False)), "assets", "x.exr"),
        (lambda d: put(d, "materials/" + d.floor.material + "/nodes/wood/image", "x.png"), "assets", "x.png"),
        (lambda d: replace(d, decals={"x": r.Decal(id="x", name="X", picture="x.svg")}), "assets", "x.svg"),
        (lambda d: replace(d, decals={"x": r.Decal(id="x", name="X", material="q")}), "materials", "q"),
        (lambda d: replace(d, decals={"x": r.Decal(id="x", name="X", stood=(r.Stood("q", ()),))}), "parts", "q"),
        (lambda d: put(d, "parts/ball/material", "q"), "materials", "q"),
        (lambda d: put(d, "floor/material", "q"), "materials", "q"),
        (lambda d: replace(d, shots=(replace(d.shots[0], overrides={"floor/material": "q"}),)), "materials", "q"),
        (lambda d: replace(d, keys={"parts/ball/material": (r.Key(0.0, "q"),)}), "materials", "q"),
        (lambda d: replace(d, shots=(replace(d.shots[0], overrides={"lamps/l/profile": "y.ies"}),)), "assets", "y.ies"),
    ],
)
def test_what_a_document_points_at_is_found_wherever_it_stands(change, kind, name):
    document = full()
    assert name not in references(document, kind)
    assert name in references(change(document), kind)


def test_a_shipped_light_set_is_no_file_of_the_project():
    assert "Loft" not in references(full(), "assets")


def every_record(record=None, seen=None):
    """All kinds of records that a project can hold, found by the annotations of fields."""
    from aulmo.document.references import _record_types

    seen = {r.Document} if seen is None else seen
    for hint in typing.get_type_hints(record or r.Document, vars(r)).values():
        for inner in _record_types(hint):
            if inner not in seen:
                seen.add(inner)
                every_record(inner, seen)
    return seen


def bare_numbers(annotation, within=False):
    """Whether an annotation lets a number through that has no range."""
    within = within or any(isinstance(m, msgspec.Meta) and m.ge is not None and m.le is not None for m in getattr(annotation, "__metadata__", ()))
    if annotation in (float, int):
        return not within
    if typing.get_origin(annotation) is typing.Literal or (isinstance(annotation, type) and issubclass(annotation, msgspec.Struct)):
        return False
    return any(bare_numbers(inner, within) for inner in typing.get_args(annotation) if not isinstance(inner, str) and inner is not Ellipsis)


# looked at by what the address, or the kind of node, knows of them
BY_ADDRESS = {(r.Key, "value"), (r.Choice, "overrides"), (r.Shot, "overrides"), (r.Node, "inputs"), (r.Document, "schema_version")}


@pytest.mark.parametrize("record", sorted(every_record(), key=lambda k: k.__name__))
def test_no_number_of_a_project_is_without_a_range(record):
    rows = TABLE.get(record, {})
    hints = typing.get_type_hints(record, {**vars(r), **vars(__import__(record.__module__, fromlist=["x"]))}, include_extras=True)
    for field in msgspec.structs.fields(record):
        known = rows.get(field.name)
        if (record, field.name) not in BY_ADDRESS and not (known is not None and known.kind in ("number", "whole", "vector", "colour")):
            assert not bare_numbers(hints[field.name]), (record.__name__, field.name)
