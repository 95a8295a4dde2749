"""Pages for the web in a real browser engine. It is no part of what Aulmo needs, so it is fetched into a place of its own."""

import json
import subprocess
import sys
import venv
from pathlib import Path

import numpy as np
import platformdirs
import pytest

from aulmo import script
from aulmo.deliver.panorama import write_page
from aulmo.deliver.turntable import Turntable, make_turntable
from aulmo.document.records import RenderSettings, Surface
from aulmo.trace.tracer import Picture
from shapes import box_mesh, one_part

pytestmark = pytest.mark.long
BROWSER = ("PySide6-Essentials==6.8.2", "PySide6-Addons==6.8.2", "shiboken6==6.8.2")  # the last whose wheel on the registry has the engine in it


def browser() -> Path:
    """The Python of an environment that has a browser engine."""
    folder = Path(platformdirs.user_cache_dir("aulmo")) / "browser-6.8.2"
    python = folder / "bin" / "python"
    if not (folder / "ready").exists():
        venv.create(folder, with_pip=True, clear=True)
        subprocess.run([str(python), "-m", "pip", "install", "--quiet", *BROWSER], check=True)
        (folder / "ready").touch()
    return python


def driven(page: Path, word: str) -> dict:
    """What came of driving a page, `word` being what it offers to click."""
    words = [str(browser()), str(Path(__file__).parent / "drive_page.py"), str(page), word]
    done = subprocess.run(words, capture_output=True, text=True, timeout=180)
    assert done.returncode == 0, done.stderr[-2000:]
    found = json.loads(done.stdout.strip().splitlines()[-1])
    print(json.dumps(found), file=sys.stderr)
    assert found["loaded"] == "all" and found["complaints"] == [] and found["outside"] == 0
    return found


def test_a_turntable_is_turned_in_a_real_browser(tmp_path):
    document, assets = one_part(box_mesh(), Surface(base_color=(0.7, 0.1, 0.1)), floor="plain")
    document = script.add_choice(script.add_choice(document, "Colour", "Red", {}), "Colour", "Pine", {"materials/m/surface/base_color": (0, 0.3, 0)})
    rows = [{"Colour": "Red"}, {"Colour": "Pine"}]
    make_turntable(document, assets, None, rows, Turntable(12, (0.0, 30.0)), (96, 72), RenderSettings(stop="samples", samples=1), tmp_path)
    found = driven(tmp_path / "index.html", "Pine")
    assert found["first"] == {"frame": "0", "row": "1", "variant": "0", "near": "1.00"}
    assert 2 <= int(found["pulled"]["frame"]) <= 8 and found["pulled"]["row"] == "1"
    assert found["up"]["row"] == "0" and found["up"]["frame"] == found["pulled"]["frame"]
    assert float(found["wheel"]["near"]) > 2
    assert found["chosen"]["variant"] == "1"
    assert int(found["key"]["frame"]) == (int(found["chosen"]["frame"]) + 1) % 12
    assert float(found["pinched"]["near"]) > 2


def test_one_looks_around_in_a_full_sphere_with_one_eye_and_with_two(tmp_path):
    """Left eye: red ahead, blue behind the right shoulder's quarter; right eye: green ahead."""
    high, wide = 64, 128
    eyes = np.zeros((2 * high, wide, 3), np.float32)
    eyes[:high] = (1.0, 0.0, 0.0)
    eyes[high:] = (0.0, 1.0, 0.0)
    eyes[:, 3 * wide // 4 - 16 : 3 * wide // 4 + 16] = (0.0, 0.0, 1.0)  # a quarter to the right
    plane = np.zeros_like(eyes)
    picture = Picture(eyes * 50.0, np.ones(eyes.shape[:2], np.float32), plane, plane, plane, 50.0, "Product neutral", 1, 0.0, 0.0)
    write_page(picture, tmp_path / "look.html", "Odrel", "top-bottom")
    found = driven(tmp_path / "look.html", "Both eyes")
    strongest = lambda text: int(np.argmax(json.loads(text)[:3]))  # noqa: E731
    assert strongest(found["ahead"]) == 0 and strongest(found["right"]) == 2
    assert [strongest(c) for c in found["eyes"]] == [0, 1]
    assert found["first"] == {"turn": "0.0", "height": "0.0", "seen": "70.0", "both": "false"}
    assert float(found["pulled"]["turn"]) > 10 and abs(float(found["pulled"]["height"])) < 1
    assert float(found["wheel"]["seen"]) < 60 and float(found["key"]["height"]) > 2
    assert found["both"]["both"] == "true" and float(found["pinched"]["seen"]) < 50
