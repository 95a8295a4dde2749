"""A process that saves a project on and on, to be killed."""

import subprocess
import sys
from pathlib import Path

SAVER = """
import sys
sys.path[:0] = {paths!r}
from shapes import one_part, sphere_mesh
from aulmo.document import edits, project_file
from pathlib import Path
document, assets = one_part(sphere_mesh(20, 200))
print("ready", flush=True)
k = 0
while True:
    k += 1
    project_file.save(edits.change_part(document, "ball", name=f"Ball {{k}}"), assets, Path({target!r}), over=True)
    if k == 1:
        print("saved", flush=True)
"""


def saver(target: Path) -> subprocess.Popen:
    """Begin it; it has saved once when this returns."""
    paths = [str(Path(__file__).parent), *sys.path]
    child = subprocess.Popen([sys.executable, "-c", SAVER.format(paths=paths, target=str(target))], stdout=subprocess.PIPE, text=True)
    assert child.stdout is not None
    child.stdout.readline()
    child.stdout.readline()
    return child
