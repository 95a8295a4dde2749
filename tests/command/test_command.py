"""The command line as a check would use it."""

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from aulmo import __version__
from aulmo.command.main import describe, main
from aulmo.document import edits, project_file
from aulmo.document.records import Surface
from aulmo.surface import swatches
from aulmo.surface.colour import ACESCG_TO_SRGB
from shapes import box_mesh, one_part, sphere_mesh


@pytest.fixture
def project(tmp_path):
    """A saved project."""
    document, assets = one_part(sphere_mesh(), floor="plain")
    project_file.save(document, assets, tmp_path / "ball.aulmo")
    return tmp_path / "ball.aulmo"


def test_version(capsys):
    with pytest.raises(SystemExit) as done:
        main(["--version"])
    assert done.value.code == 0
    assert __version__ in capsys.readouterr().out


def test_import_then_info(tmp_path, capsys):
    import trimesh

    mesh = box_mesh(30)
    trimesh.Trimesh(mesh.vertices, mesh.triangles.astype(int), process=False).export(tmp_path / "block.obj")
    assert main(["import", str(tmp_path / "block.obj"), "--out", str(tmp_path / "p.aulmo")]) == 0
    capsys.readouterr()
    assert main(["info", str(tmp_path / "p.aulmo"), "--json"]) == 0
    about = json.loads(capsys.readouterr().out)
    assert set(about) == {"parts", "materials", "shots", "cameras", "lights"}
    (part,) = [p for p in about["parts"] if p["mesh"]]
    assert set(part) == {"id", "name", "path", "triangles", "size_mm", "material", "materials", "mesh"}
    assert part["triangles"] == 12 and part["size_mm"] == pytest.approx([30, 30, 30])
    assert part["materials"] == [part["material"]] and part["material"] in {m["name"] for m in about["materials"]}
    assert about["shots"][0]["name"] == "Shot 1" and about["lights"][0]["kind"] == "environment"


def test_info_tells_face_sets_in_order_and_equal_shapes_by_one_mesh(tmp_path, capsys):
    from aulmo.prepare.cad_mesh import compound
    from cad_files import BLACK, GREEN, RED, Cad, box, moved, rod, top_face

    plate = box(30, 20, 4)
    cad = Cad()
    product = cad.product("Rack", compound([plate, moved(rod(2, 9), x=9, z=4), moved(rod(2, 9), x=19, z=4, turn=0.6)]), GREEN)
    cad.within(product, plate, BLACK, "Plate")
    cad.within(product, top_face(plate), RED)
    cad.write(tmp_path / "rack.step")
    assert main(["import", str(tmp_path / "rack.step"), "--out", str(tmp_path / "p.aulmo")]) == 0
    capsys.readouterr()
    assert main(["info", str(tmp_path / "p.aulmo"), "--json"]) == 0
    parts = {p["name"]: p for p in json.loads(capsys.readouterr().out)["parts"]}
    assert parts["Plate"]["materials"] == ["Satin black plastic", "Satin red plastic"] and parts["Rack"]["materials"] == []
    rods = [p for n, p in parts.items() if n.startswith("Rack ")]
    assert len(rods) == 2 and rods[0]["mesh"] == rods[1]["mesh"] != parts["Plate"]["mesh"]


def test_info_tells_what_materials_are_made_of(tmp_path, capsys):
    document, assets = one_part(sphere_mesh(), Surface(base_color=(0.25, 0.5, 0.75)))
    project_file.save(edits.put_material(document, swatches.material("Oiled ash")), assets, tmp_path / "p.aulmo")
    assert main(["info", str(tmp_path / "p.aulmo"), "--json"]) == 0
    found = {m["name"]: m for m in json.loads(capsys.readouterr().out)["materials"]}
    assert found["Plain"]["base_color"] == pytest.approx(ACESCG_TO_SRGB @ np.array((0.25, 0.5, 0.75)), abs=1e-5)
    assert all(len(m["base_color"]) == 3 and isinstance(m["kind"], str) and m["kind"] for m in found.values())
    assert found["Oiled ash"]["kind"] != found["Plain"]["kind"]


def test_a_script_runs_in_aulmos_own_environment(tmp_path):
    script = tmp_path / "words.py"
    script.write_text("import sys\nimport aulmo.script\nprint(sys.argv[1:], aulmo.__name__)\nsys.exit(7 if len(sys.argv) == 3 else 0)\n")
    launcher = Path(__file__).parents[2] / "aulmo"
    done = subprocess.run([sys.executable, str(launcher), "python", str(script), "--one", "two words"], capture_output=True, text=True)
    assert done.returncode == 7 and "['--one', 'two words'] aulmo" in done.stdout, done.stderr


def test_info_in_words(project, capsys):
    assert main(["info", str(project)]) == 0
    out = capsys.readouterr().out
    assert "Ball" in out and "Shot 1" in out


def test_render_writes_the_size_that_was_asked(project, tmp_path, capsys):
    out = tmp_path / "a.png"
    assert main(["render", str(project), "--shot", "Shot 1", "--size", "64x40", "--samples", "8", "--out", str(out)]) == 0
    with Image.open(out) as image:
        assert image.size == (64, 40)
        assert np.asarray(image).std() > 5
    assert "8 samples" in capsys.readouterr().out


@pytest.mark.parametrize("rule", [["--noise", "12"], ["--time", "0.5"]])
def test_render_stops_by_noise_or_time(project, tmp_path, rule):
    assert main(["render", str(project), *rule, "--size", "48x36", "--out", str(tmp_path / "a.exr")]) == 0
    assert (tmp_path / "a.exr").stat().st_size > 1000


@pytest.mark.parametrize(
    ("words", "sentence"),
    [
        (["--size", "big", "--out", "a.png"], "not a frame size"),
        (["--size", "0x10", "--out", "a.png"], "not a frame size"),
        (["--shot", "Nowhere", "--out", "a.png"], "no shot named Nowhere"),
        (["--samples", "0", "--out", "a.png"], "at least 1"),
        (["--noise", "nan", "--out", "a.png"], "at least"),
        (["--time", "-3", "--out", "a.png"], "at least"),
        (["--out", "a.doc"], "should end in"),
        (["--out", "missing/a.png"], "no folder"),
    ],
)
def test_bad_options_get_a_sentence_and_a_code(project, tmp_path, capsys, words, sentence):
    words = [str(tmp_path / w) if k and words[k - 1] == "--out" else w for k, w in enumerate(words)]
    assert main(["render", str(project), *words]) == 2
    error = capsys.readouterr().err
    assert sentence in error and "Traceback" not in error


def test_a_missing_project_gets_a_sentence(capsys, tmp_path):
    assert main(["info", str(tmp_path / "gone.aulmo")]) == 2
    assert "no file" in capsys.readouterr().err


def test_a_bad_import_writes_nothing(tmp_path, capsys):
    (tmp_path / "bad.step").write_text("no")
    assert main(["import", str(tmp_path / "bad.step"), "--out", str(tmp_path / "p.aulmo")]) == 2
    assert not (tmp_path / "p.aulmo").exists()
    assert "bad.step" in capsys.readouterr().err


def test_the_module_runs_as_a_program(project):
    done = subprocess.run([sys.executable, "-m", "aulmo", "info", str(project), "--json"], capture_output=True, text=True)
    assert done.returncode == 0 and json.loads(done.stdout)["parts"]


def test_the_demo_is_what_it_claims(lantern_project):
    about = describe(lantern_project)
    with_mesh = [p for p in about["parts"] if p["mesh"]]
    assert len(with_mesh) >= 25
    assert {"Hero", "Burner", "Oil window", "Cut-out"} == {s["name"] for s in about["shots"]}
    assert len({p["mesh"] for p in with_mesh if p["name"].startswith("Screw")}) == 1
    worn = {p["name"]: p["material"] for p in with_mesh}
    assert worn["Tank shell"] == "Rust enamel" and worn["Globe"] == "Clear glass" and worn["Lamp oil"] == "Lamp oil"
    root = about["parts"][0]
    assert root["name"] == "Odrel Wick" and 300 < root["size_mm"][2] < 360
    assert any(light["kind"] == "glowing part" for light in about["lights"])


def test_the_shots_show_the_lantern(lantern_project, tmp_path):
    out = tmp_path / "cut.png"
    assert main(["render", str(lantern_project), "--shot", "Cut-out", "--size", "60x80", "--samples", "16", "--out", str(out)]) == 0
    with Image.open(out) as image:
        alpha = np.asarray(image)[..., 3]
    assert alpha[0, 0] == 0 and (alpha > 200).mean() > 0.05


def test_the_python_face_does_the_same(lantern_project, tmp_path):
    from aulmo import script

    document, assets = script.open_project(lantern_project)
    pixels = script.render_array(document, assets, "Hero", (32, 40), samples=4)
    assert pixels.shape == (40, 32, 4) and 0 < pixels[..., :3].mean() < 1
    document = script.dress(document, "Tank shell", "Pine enamel")
    assert script.material_of(document, "Tank shell").name == "Pine enamel"
    script.save_project(document, assets, tmp_path / "pine.aulmo")
    assert describe(tmp_path / "pine.aulmo")["parts"]


def test_groups_of_the_bench_are_measured_alone_and_kept_as_they_are_taken(tmp_path, capsys, monkeypatch):
    from aulmo.command import bench

    seen = []

    def two(told):
        told.add("Made-up share", np.float64(0.6), "", "nothing", ">= 0.5", np.float64(0.6) >= 0.5)
        seen.append(json.loads((tmp_path / "f.json").read_text())["figures"])  # there already while the next is measured
        told.waited("Made-up wait", 4.0, 0.5, "half the pace", 1.0)

    assert {"first", "draft", "share", "import", "edit", "finish", "film"} <= set(bench.GROUPS)
    monkeypatch.setattr(bench, "GROUPS", {"share": two, "draft": lambda told: told.add("Never", 1.0, "", "", "", None)})
    assert main(["bench", "share", "--json", str(tmp_path / "f.json")]) == 0
    kept = json.loads((tmp_path / "f.json").read_text())["figures"]
    assert [len(figures) for figures in seen] == [1] and [(f["name"], f["value"], f["met"]) for f in kept] == [
        ("Made-up share", 0.6, True), ("Made-up wait", 2.0, False),
    ]  # fmt: skip
    assert "NOT met" in capsys.readouterr().out
    assert main(["bench", "speed"]) == 2 and "no group speed" in capsys.readouterr().err


def test_the_list_of_renders_is_read_and_steered_without_a_window(tmp_path, capsys):
    import json

    from aulmo.deliver import waking

    document, assets = one_part(sphere_mesh(), floor="plain")
    project_file.save(document, assets, tmp_path / "p.aulmo")
    words = ["--list", str(tmp_path / "list")]
    waking.set_rules(tmp_path / "list", waking.Rules(halt=True))
    for name in "ab":
        out = ["--size", "32x24", "--samples", "2", "--out", str(tmp_path / f"{name}.png")]
        assert main(["renders", *words, *out, "add", str(tmp_path / "p.aulmo")]) == 0
    capsys.readouterr()
    assert main(["renders", *words, "--json"]) == 0
    first, second = (job["id"] for job in json.loads(capsys.readouterr().out))
    assert main(["renders", *words, "first", second]) == 0
    assert main(["renders", *words, "pause", first]) == 0
    capsys.readouterr()
    main(["renders", *words, "show", "--json"])
    assert [(j["id"], j["outcome"]) for j in json.loads(capsys.readouterr().out)] == [(second, "waiting"), (first, "paused")]
    waking.set_rules(tmp_path / "list", waking.Rules())
    assert main(["renders", *words, "work"]) == 0
    assert (tmp_path / "b.png").exists() and not (tmp_path / "a.png").exists()
    capsys.readouterr()
    for wrong, told in (
        (["fly"], "nothing that can be done"), (["pause"], "Say which"), (["stop", "nobody"], "no render named"), (["at", first, "7"], "18:30"),
    ):  # fmt: skip
        assert main(["renders", *words, *wrong]) == 2
        assert told in capsys.readouterr().err


def test_variants_are_rendered_by_their_names_and_all_by_a_pattern(tmp_path, capsys, monkeypatch):
    from aulmo import script

    document, assets = one_part(sphere_mesh(), Surface(base_color=(0.7, 0.1, 0.1)), floor="plain")
    document = script.add_choice(document, "Colour", "Red", {})
    document = script.add_choice(document, "Colour", "Pine", {"materials/m/surface/base_color": (0.02, 0.5, 0.05)})
    document = script.add_choice(document, "Trim", "A/B", {})
    project_file.save(document, assets, tmp_path / "p.aulmo")
    few = ["--size", "32x24", "--samples", "4"]
    assert main(["render", str(tmp_path / "p.aulmo"), *few, "--variant", "Colour=Pine", "--out", str(tmp_path / "one.png")]) == 0
    monkeypatch.chdir(tmp_path)
    assert main(["render", "p.aulmo", *few, "--every", "Colour,Trim", "--pattern", "{project} {Colour} {Trim}.png"]) == 0
    names = sorted(p.name for p in tmp_path.glob("Odrel*.png"))
    assert names == ["Odrel test Pine A-B.png", "Odrel test Red A-B.png"]
    with Image.open(tmp_path / "one.png") as one, Image.open(tmp_path / names[0]) as same:
        np.testing.assert_array_equal(np.asarray(one), np.asarray(same))
    (tmp_path / "t.csv").write_text("Colour\nRed\n")
    assert main(["render", "p.aulmo", *few, "--table", "t.csv", "--pattern", "{Colour}.jpg", "--out", str(tmp_path)]) == 0
    assert (tmp_path / "Red.jpg").exists()
    for wrong, told in (
        (["--variant", "Colour=Mauve", "--out", "x.png"], "no Colour named Mauve"),
        (["--every", "Colour", "--pattern", "{project}"], "the same name"),
        (["--every", "Trim", "--table", "t.csv"], "not both"), (["--variant", "Colour=Red"], "--out"),
    ):  # fmt: skip
        assert main(["render", "p.aulmo", *few, *wrong]) == 2
        assert told in capsys.readouterr().err
