"""What nodes cost: their pictures on the bench, and in the picture."""

import time
from typing import Callable

import numpy as np

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.records import Document, Material, Node, Surface
from aulmo.trace.node_pictures import NodePictures


def thirty_nodes() -> Material:
    """A material of thirty nodes as an artist would lead them: three worn colours mixed by noises, roughness with scratches, relief."""
    nodes = []
    for k in range(3):
        nodes += [
            Node(f"cloud{k}", "noise", {"size_mm": 4.0 + 7.0 * k, "seed": float(k)}),
            Node(f"level{k}", "range", {"in": f"@cloud{k}", "inlow": 0.3, "inhigh": 0.7}),
            Node(f"tone{k}", "saturate", {"in": (0.2 + 0.2 * k, 0.3, 0.5 - 0.1 * k), "amount": 0.8}),
            Node(f"lit{k}", "multiply", {"in1": f"@tone{k}", "in2": f"@level{k}"}),
        ]
    nodes += [
        Node("heat", "gradient"), Node("first", "mix", {"fg": "@lit0", "bg": "@lit1", "mix": "@level2"}),
        Node("second", "mix", {"fg": "@first", "bg": "@lit2", "mix": "@level0"}), Node("tinted", "multiply", {"in1": "@second", "in2": "@heat"}),
        Node("hue", "hsvadjust", {"in": "@tinted", "amount": (0.02, 1.1, 1.0)}), Node("strokes", "scratches", {"size_mm": 8.0}),
        Node("deep", "multiply", {"in1": "@strokes", "in2": 0.3}), Node("base", "range", {"in": "@cloud1", "outlow": 0.2, "outhigh": 0.45}),
        Node("rough", "add", {"in1": "@base", "in2": "@deep"}), Node("held", "clamp", {"in": "@rough", "low": 0.1, "high": 0.9}),
        Node("at", "position"), Node("small", "multiply", {"in1": "@at", "in2": 0.4}), Node("stone", "worleynoise3d", {"position": "@small"}),
        Node("step", "smoothstep", {"in": "@stone", "low": 0.2, "high": 0.6}), Node("peel", "orangepeel", {"size_mm": 1.5}),
        Node("both", "multiply", {"in1": "@step", "in2": "@peel"}), Node("mm", "multiply", {"in1": "@both", "in2": 0.05}),
        Node("metal", "range", {"in": "@level2", "outlow": 0.0, "outhigh": 0.6}),
    ]  # fmt: skip
    assert len(nodes) == 30
    wires = {"base_color": "hue", "specular_roughness": "held", "height": "mm", "base_metalness": "metal"}
    return Material("thirty", "Thirty nodes", surface=Surface(), nodes=tuple(nodes), wires=wires)


def preview_seconds(document: Document, assets: AssetStore) -> float:
    """Seconds from an edit to pictures of 64 px of thirty nodes."""
    material = thirty_nodes()
    part = next(p for p in document.parts.values() if p.name == "Tank shell")
    mesh, taker = assets.mesh(part.mesh or ""), NodePictures(assets)
    taker.take(material, mesh)
    times = []
    for _ in range(7):
        started = time.perf_counter()
        taker.take(material, mesh)
        times.append(time.perf_counter() - started)
    return float(np.median(times))


def on_the_tank(document: Document) -> Document:
    """The demo lantern with thirty nodes on all that was enamelled."""
    worn = [p.id for p in document.parts.values() if p.mesh and p.material and document.materials[p.material].name == "Rust enamel"]
    return edits.assign_material(edits.put_material(document, thirty_nodes()), worn, "thirty")


def share(document: Document, assets: AssetStore, ray_share: Callable[..., tuple[float, float]]) -> float:
    """Embree's share of the work on the lantern whose enamel has thirty nodes."""
    return ray_share(on_the_tank(document), assets)[0]
