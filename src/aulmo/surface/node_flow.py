"""What flows through a material's nodes, and in which order they lead to one another."""

from typing import Iterable

from aulmo.document.node_table import KINDS, Flow, choice_of, input_of, source_of
from aulmo.document.records import Material, Node
from aulmo.errors import BadValue


def flows(material: Material, order: Iterable[str]) -> dict[str, Flow]:
    """What each of a material's nodes gives, by id; `order` names them so that those that lead come first."""
    by_id = {n.id: n for n in material.nodes}
    found: dict[str, Flow] = {}
    for name in order:
        node = by_id[name]
        found[name] = _gives(node, found)
    return found


def _gives(node: Node, known: dict[str, Flow]) -> Flow:
    kind = KINDS[node.kind]
    if node.kind == "image" or node.kind == "tiledimage":
        return "colour" if node.channel in ("colour", "solid") else "number"
    if node.kind == "flakes":
        return "direction" if choice_of("flakes", node.choices, "gives") == "normal" else "number"
    if node.kind == "geompropvalue":
        return "number" if choice_of(node.kind, node.choices, "geomprop") == "random" else "direction"
    if node.kind == "gradient":
        return "number" if choice_of("gradient", node.choices, "gives") == "number" else "colour"
    if kind.gives != "either":
        return kind.gives
    widest: Flow = "number"
    for one in kind.inputs:
        if one.takes == "number" or (one.takes == "direction" and one.default is None):
            continue
        value = node.inputs.get(one.name, one.default)
        flow: Flow = "number"
        if isinstance(value, str):
            name, reads = source_of(value)
            flow = "number" if reads else known.get(name, "number")
        elif isinstance(value, (tuple, list)) and not value[0] == value[1] == value[2]:
            flow = "colour"
        if flow == "direction" or (flow == "colour" and widest == "number"):
            widest = flow
    return widest


def ordered(material: Material, targets: Iterable[str]) -> list[str]:
    """Ids of all nodes that lead to targets, those that lead before what they lead to. Raises BadValue for a circle or a node there is not."""
    by_id = {n.id: n for n in material.nodes}
    done: dict[str, bool] = {}  # False while its inputs are looked at
    out: list[str] = []
    for target in targets:
        stack = [(target, False)]
        while stack:
            name, finished = stack.pop()
            if finished:
                done[name] = True
                out.append(name)
                continue
            if name in done:
                if not done[name]:
                    raise BadValue(f"The nodes of {material.name} run in a circle through {name}.")
                continue
            node = by_id.get(name)
            if node is None:
                raise BadValue(f"{material.name} has no node named {name}.")
            if node.kind not in KINDS:
                raise BadValue(f"{material.name} has a node of a kind that Aulmo does not know: {node.kind}.")
            done[name] = False
            stack.append((name, True))
            for key, value in node.inputs.items():
                if input_of(node.kind, key) is None:
                    raise BadValue(f"A node of the kind {node.kind} has no input named {key}.")
                if isinstance(value, str):
                    source = source_of(value)[0]
                    if done.get(source) is False:
                        raise BadValue(f"The nodes of {material.name} run in a circle through {source}.")
                    stack.append((source, False))
    return out


def sound(material: Material, names: Iterable[str]) -> tuple[list[str], dict[str, str]]:
    """Ids of the nodes among `names` that hang together and of all that lead to them, in order; and a sentence on each of those that do not."""
    wanted = list(names)
    try:
        return ordered(material, wanted), {}
    except BadValue:
        good, faults = [], {}
        for name in wanted:
            try:
                ordered(material, [name])
                good.append(name)
            except BadValue as error:
                faults[name] = str(error)
        return ordered(material, good), faults


def behind(material: Material, references: Iterable[str]) -> set[str]:
    """Ids of all nodes that lead to references ("id", "@id", "id:red"), those that they name among them, however they hang together."""
    by_id = {n.id: n for n in material.nodes}
    found: set[str] = set()
    stack = [source_of(reference)[0] for reference in references]
    while stack:
        name = stack.pop()
        if name in by_id and name not in found:
            found.add(name)
            stack += [source_of(v)[0] for v in by_id[name].inputs.values() if isinstance(v, str)]
    return found


def ends(material: Material) -> list[str]:
    """What leads out of a material's nodes: into its surface, its layers, their masks."""
    masks = [one.mask for one in material.layers if isinstance(one.mask, str)]
    return [*material.wires.values(), *(v for one in material.layers for v in one.wires.values()), *masks]
