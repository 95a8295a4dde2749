"""What helpers bring: two against one for the frames of a film, each with one core of this machine, and what handing out costs."""

import os
import statistics
import subprocess
import sys
import time
from pathlib import Path

import pytest

from aulmo.deliver import waking
from aulmo.deliver.film import plan, render_film
from aulmo.deliver.machines import hub
from aulmo.deliver.machines.hands import Helpers
from aulmo.document.project_file import load
from aulmo.document.records import RenderSettings

pytestmark = pytest.mark.long
DEMO = Path(__file__).parents[2] / "demo"
FRAMES, SIZE, SETTINGS = 8, (320, 180), RenderSettings(stop="samples", samples=24)


def helped(folder: Path, count: int, document, assets) -> float:
    """Seconds that so many helpers of one core each take for the frames, all of them ready; this process makes none itself."""
    folder.mkdir()
    waking.set_rules(folder, waking.Rules(helpers=True))
    waking.wake_hub(folder)
    address = hub.wait_for(folder)
    helpers = []
    try:
        for k in range(count):
            words = [sys.executable, "-m", "aulmo", "helper", "--join", address, "--list", str(folder)]
            settings = {**os.environ, "AULMO_HELPER_STORE": str(folder / f"store{k}"), "AULMO_HELPER_CARDS": str(folder / f"cards{k}")}
            helpers.append(subprocess.Popen(["taskset", "-c", str(k), *words], env=settings, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL))
        hands = Helpers(folder, own=False)
        until = time.monotonic() + 120
        while sum(h.good is True for h in hands._known.values()) < count:
            hands._meet()
            assert time.monotonic() < until
            time.sleep(0.1)
        warm = plan(document, numbers=(FRAMES, FRAMES + 2 * count - 1))
        render_film(document, assets, warm, SIZE, SETTINGS, folder / "warm", helpers=hands)  # assets are there, scenes are built
        began = time.perf_counter()
        render_film(document, assets, plan(document, numbers=(0, FRAMES - 1)), SIZE, SETTINGS, folder / "film", helpers=hands)
        spent = time.perf_counter() - began
        hands.close()
        return spent
    finally:
        for helper in helpers:
            helper.kill()
            helper.wait()
        waking.set_rules(folder, waking.Rules())


@pytest.mark.skipif(len(os.sched_getaffinity(0)) < 2, reason="two helpers want a core each")
def test_two_helpers_against_one(tmp_path, monkeypatch):
    monkeypatch.setenv("AULMO_HUB_HOST", "127.0.0.1")
    document, assets = load(DEMO / "wick-film.aulmo")
    gains = []
    for turn in range(2):
        one = helped(tmp_path / f"one{turn}", 1, document, assets)
        two = helped(tmp_path / f"two{turn}", 2, document, assets)
        gains.append(one / two)
        print(f"one {one:.1f} s, two {two:.1f} s: {one / two:.2f} times", file=sys.stderr)
    words = "import os, sys, time; os.sched_setaffinity(0, {0}); sys.path[:0] = sys.argv[1:]\n" + ALONE
    alone = subprocess.run([sys.executable, "-c", words, str(tmp_path)], capture_output=True, text=True, check=True)
    print(f"alone on one core, without handing out: {float(alone.stdout):.1f} s", file=sys.stderr)
    print(f"two helpers: {statistics.median(gains):.2f} times one", file=sys.stderr)
    frames = [p.read_bytes() for p in sorted((tmp_path / "f").glob("*.png"))]
    assert len(frames) == FRAMES
    for folder in ("one0", "two0", "one1", "two1"):
        assert [p.read_bytes() for p in sorted((tmp_path / folder / "film").glob("*.png"))] == frames


ALONE = f"""
from pathlib import Path
from aulmo.deliver.film import plan, render_film
from aulmo.document.project_file import load
from aulmo.document.records import RenderSettings
from aulmo.trace.scene import SceneBuilder
document, assets = load(Path({str(DEMO)!r}) / "wick-film.aulmo")
builder, settings = SceneBuilder(assets), RenderSettings(stop="samples", samples=24)
render_film(document, assets, plan(document, numbers=({FRAMES}, {FRAMES + 1})), {SIZE}, settings, Path(sys.argv[1]) / "w", builder=builder)
began = time.perf_counter()
render_film(document, assets, plan(document, numbers=(0, {FRAMES - 1})), {SIZE}, settings, Path(sys.argv[1]) / "f", builder=builder)
print(time.perf_counter() - began)
"""
