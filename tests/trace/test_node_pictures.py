"""Small pictures of nodes: what the tracer's program gives, all at once, with sentences for faults."""

import numpy as np
import pytest

from aulmo.document.assets import AssetStore
from aulmo.document.records import Material, Node, Stop
from aulmo.trace.node_pictures import NodePictures
from dressing import png
from shapes import box_mesh, sphere_mesh


def take(*nodes, mesh=None, assets=None, side=16, **more):
    found, width = NodePictures(assets or AssetStore()).take(Material("m", "M", nodes=nodes, **more), mesh, side)
    return found, width


def test_a_gradient_runs_up_the_square_of_the_part():
    stops = (Stop(0.0, (0.0, 0.0, 0.0)), Stop(1.0, (1.0, 1.0, 1.0)))
    found, width = take(Node("g", "gradient", stops=stops), mesh=box_mesh(30.0))
    column = found["g"].pixels[:, 8, 0].astype(int)
    assert width == pytest.approx(30.0) and (np.diff(column) < 0).all()  # the top is bright
    assert found["g"].lowest == pytest.approx(1 / 32, abs=0.01) and found["g"].highest == pytest.approx(31 / 32, abs=0.01)


def test_all_nodes_are_shown_by_one_run_whatever_leads_whatever():
    nodes = [Node("n0", "noise", {"size_mm": 5.0})] + [Node(f"n{k}", "add", {"in1": f"@n{k - 1}", "in2": 1.0}) for k in range(1, 150)]
    found, _ = take(*nodes)
    assert len(found) == 150
    for k in (1, 70, 149):
        assert found[f"n{k}"].mean == pytest.approx(found["n0"].mean + k)


def test_a_fault_is_told_of_the_node_that_has_it_and_the_others_are_shown():
    nodes = (
        Node("good", "noise"), Node("circle", "invert", {"in": "@round"}), Node("round", "invert", {"in": "@circle"}), Node("bare", "image"),
        Node("lost", "image", file="label.png"), Node("small", "noise", {"size_mm": 0.0}), Node("drawn", "shapes", choices={"shape": "drawn"}),
        Node("after", "invert", {"in": "@small"}),
    )  # fmt: skip
    found, _ = take(*nodes)
    assert found["good"].fault == "" and np.ptp(found["good"].pixels) > 20
    assert "circle" in found["circle"].fault and "no picture yet" in found["bare"].fault and "label.png is missing" in found["lost"].fault
    assert "not been chosen yet" in found["drawn"].fault
    assert "above zero" in found["small"].fault and found["after"].fault


def test_what_follows_the_facing_is_shown_on_a_ball_and_what_follows_the_mesh_on_the_part():
    found, _ = take(Node("f", "facingratio"), Node("n", "normal"), mesh=sphere_mesh(20.0), side=32)
    face = found["f"].pixels[..., 0].astype(int)
    assert face[16, 16] > 240 and face[16, 1] < 130
    found, _ = take(Node("e", "curvature", {"radius_mm": 2.0}), mesh=box_mesh(20.0), side=32)
    edge = found["e"].pixels[..., 0].astype(int)
    assert edge[16, 16] == 0 and edge[16, 0] > 120 and edge[0, 16] > 120


def test_a_picture_is_shown_as_a_display_has_it():
    assets = AssetStore()
    name = assets.add(png(np.full((4, 4, 3), 0.5)), ".png")
    found, _ = take(Node("i", "image", image=name), assets=assets)
    np.testing.assert_allclose(found["i"].pixels, 128, atol=2)
    broken = assets.add(b"no picture", ".png")
    found, _ = take(Node("i", "image", image=broken), Node("n", "noise"), assets=assets)
    assert found["i"].fault
