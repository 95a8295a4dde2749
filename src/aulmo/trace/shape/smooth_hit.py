"""How a surface lies where a ray from Python has met it: softened edges, but no relief."""

from aulmo.trace.compile.borrowed import borrowed
from aulmo.trace.compile.entry import entry
from aulmo.trace.compile.scene_block import scene_at
from aulmo.trace.shape.surface_hit import hit_point


@entry
def smooth_hit(scene, ray, words, out):
    """Shading normal of a hit without relief; `scene` is `SceneBlock.words`."""
    _x, _y, _z, _gx, _gy, _gz, out[0], out[1], out[2], _qx, _qy, _qz = hit_point(scene_at(scene), borrowed(ray), borrowed(words))
