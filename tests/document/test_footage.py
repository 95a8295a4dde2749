"""Moving pictures as textures, backdrops and domes: the frame of the moment, looped, held or to and fro; the light of a screen follows."""

import io
import zipfile

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo import script
from aulmo.deliver.movie import Movie
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.moving.footage import SEQUENCE, About, about_blob, is_footage, packed
from aulmo.document.moving.frames_seen import about, frame_at
from aulmo.document.project_file import load, save
from aulmo.document.properties import put, resolve
from aulmo.document.records import Environment, Footage
from aulmo.errors import BadFile
from aulmo.surface.picture import read_picture
from aulmo.surface.picture_set import load_picture
from shapes import box_mesh, one_part
from tracing import Dark, trace

GREYS = (40, 90, 140, 190, 240)


def film(path, greys=GREYS, rate=10.0, size=(64, 32)):
    made = Movie(path, size, rate)
    for grey in greys:
        made.add(np.full((size[1], size[0], 3), grey / 255, np.float32))
    made.close()
    return path


def grey_of(assets, name) -> float:
    return float(np.asarray(read_picture(assets.get(name), name).codes, float)[..., :3].mean())


@pytest.mark.parametrize(
    ("ends", "at"), [("loop", {0.0: 0, 0.25: 2, 0.49: 4, 0.5: 0, 1.2: 2, -0.1: 4}), ("hold", {0.0: 0, 0.3: 3, 9.0: 4, -1.0: 0}),
                     ("back", {0.4: 4, 0.5: 3, 0.7: 1, 0.8: 0, 0.9: 1})],
)  # fmt: skip
def test_which_frame_is_seen_when(ends, at):
    known = About(10.0, 5, 64, 32)
    assert {t: frame_at(known, Footage(ends=ends), t) for t in at} == at
    assert frame_at(known, Footage(start=1.0, speed=2.0, ends="hold"), 1.1) == 2


@pytest.mark.parametrize("ending", [".mp4", ".webm"])
def test_a_film_as_a_texture_shows_the_frame_of_the_moment(tmp_path, ending):
    document, assets = one_part(box_mesh(20.0))
    path = film(tmp_path / f"screen{ending}")
    document, material = script.lay_picture(document, assets, "ball", path, "emission_color", width_mm=20.0)
    (name,) = [n.image for n in document.materials[material].nodes if n.image]
    assert is_footage(name) and about(name)[:2] == (10.0, 5)
    seen = []
    for time in (0.0, 0.22, 0.41):
        moment = resolve(document, {}, time)
        (image,) = [n.image for n in moment.materials[material].nodes if n.image]
        assert image.startswith(f"{name}#") and image.endswith(".png")
        seen.append(grey_of(assets, image))
    assert seen[0] < seen[1] < seen[2]
    assert grey_of(assets, name) == pytest.approx(seen[0])  # unresolved it is its first frame
    save(document, assets, tmp_path / "p.aulmo")
    again, store = load(tmp_path / "p.aulmo")
    assert store.get(name) == assets.get(name) and again == document


def test_the_light_of_a_screen_follows_its_film(tmp_path):
    document, assets = one_part(box_mesh(30.0))
    document, material = script.lay_picture(document, assets, "ball", film(tmp_path / "a.mp4"), "emission_color", width_mm=30.0)
    document = put(document, f"materials/{material}/surface/emission_luminance", 2000.0)
    glowing = document.materials[material]
    white = replace(glowing, id="white", nodes=(), wires={}, surface=replace(glowing.surface, emission_luminance=0.0))
    wall = replace(document.parts["ball"], id="wall", name="Wall", material="white")
    document = edits.add_parts(edits.put_material(document, white), [wall], ["wall"])
    document = put(document, "parts/wall/placement/position", (45.0, 0.0, 0.0))
    document = put(document, "cameras/c/position", (30.0, -150.0, 60.0))
    lit = []
    for time in (0.0, 0.4):
        frame, _ = trace(resolve(document, {}, time), assets, (32, 24), 64, Dark)
        lit.append(float(frame.rgb[:, 20:].mean()))  # the wall that the screen shines on
    assert lit[1] > 3 * lit[0]


def test_numbered_pictures_are_one_footage(tmp_path):
    paths = []
    for k, grey in enumerate(GREYS):
        paths.append(tmp_path / f"shot_{k:03d}.png")
        Image.new("RGB", (16, 8), (grey, grey, grey)).save(paths[-1])
    assets = AssetStore()
    name = assets.add(packed(paths, 25.0, (16, 8)), SEQUENCE)
    assert about(name) == About(25.0, 5, 16, 8)
    assert grey_of(assets, f"{name}#4.png") > grey_of(assets, f"{name}#0.png") == pytest.approx(grey_of(assets, name))


def test_a_dome_that_moves_keeps_how_bright_its_frames_are(tmp_path):
    from aulmo.trace.lit import environment_pixels

    document, assets = one_part(box_mesh(20.0))
    name = load_picture(assets, film(tmp_path / "sky.mp4"))
    document = replace(document, environment=Environment(image=name, shipped=False))
    light = [float(environment_pixels(resolve(document, {}, t).environment, assets).mean()) for t in (0.0, 0.41)]
    assert light[1] > 10 * light[0]


def test_footage_is_held_by_keys_of_its_own_run(tmp_path):
    document, assets = one_part(box_mesh(20.0))
    document, material = script.lay_picture(document, assets, "ball", film(tmp_path / "a.mp4"), "base_color", width_mm=20.0)
    (name,) = [n.image for n in document.materials[material].nodes if n.image]
    document = replace(document, film=replace(document.film, footage={name: Footage(start=2.0, ends="hold")}))
    images = [next(n.image for n in resolve(document, {}, t).materials[material].nodes if n.image) for t in (0.0, 2.3, 9.0)]
    assert [i.split("#")[1] for i in images] == ["0.png", "3.png", "4.png"]


@pytest.mark.parametrize("harm", ["empty", "text", "cut"])
def test_a_broken_film_gets_a_sentence(tmp_path, harm):
    path = film(tmp_path / "a.mp4")
    blob = path.read_bytes()
    path.write_bytes({"empty": b"", "text": b"no film at all" * 100, "cut": blob[: len(blob) // 4]}[harm])
    with pytest.raises(BadFile) as told:
        load_picture(AssetStore(), path)
    assert "a.mp4" in str(told.value) and len(str(told.value)) < 120
    with pytest.raises(BadFile):
        about_blob(b"", f"x{SEQUENCE}")


@pytest.mark.parametrize("about", ["4 4 nan", "4 4 inf", "4 4 0", "0 4 25", "1e9 4 25", "4 4", "words", ""])
def test_a_sequence_whose_numbers_cannot_be_is_told(about):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as held:
        held.writestr("about", about)
        held.writestr("000000.png", b"x")
    with pytest.raises(BadFile, match="cannot be told apart"):
        about_blob(out.getvalue(), "a.sequence")
    empty = io.BytesIO()
    with zipfile.ZipFile(empty, "w") as held:
        held.writestr("about", "4 4 25")
    with pytest.raises(BadFile, match="cannot be told apart"):
        about_blob(empty.getvalue(), "a.sequence")
