"""glTF files made for tests."""

import base64
import json
import struct
from pathlib import Path

import numpy as np

SQUARE = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], np.float32) * 0.05


class Gltf:
    """A glTF file in the making, its buffer within."""

    def __init__(self) -> None:
        self.data = b""
        self.json: dict = {"asset": {"version": "2.0"}, "bufferViews": [], "accessors": [], "meshes": [], "nodes": [], "scenes": [{"nodes": []}]}

    def accessor(self, values: np.ndarray, **more) -> int:
        """Put an array in."""
        values = np.ascontiguousarray(values)
        kind = {"f4": 5126, "u4": 5125, "u2": 5123, "u1": 5121, "i2": 5122, "i1": 5120}[values.dtype.str[1:]]
        width = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}[1 if values.ndim == 1 else values.shape[1]]
        self.data += b"\0" * (-len(self.data) % 4)
        self.json["bufferViews"].append({"buffer": 0, "byteOffset": len(self.data), "byteLength": values.nbytes})
        self.data += values.tobytes()
        self.json["accessors"].append(
            {"bufferView": len(self.json["bufferViews"]) - 1, "componentType": kind, "type": width, "count": len(values), **more}
        )
        return len(self.json["accessors"]) - 1

    def part(self, primitives: list[dict], name: str = "", **node) -> None:
        """A mesh and a node that places it."""
        self.json["meshes"].append({"primitives": primitives})
        self.json["nodes"].append({"mesh": len(self.json["meshes"]) - 1, "name": name, **node})
        self.json["scenes"][0]["nodes"].append(len(self.json["nodes"]) - 1)

    def write(self, path: Path) -> Path:
        """As .gltf or .glb."""
        if path.suffix == ".gltf":
            self.json["buffers"] = [{"byteLength": len(self.data), "uri": "data:;base64," + base64.b64encode(self.data).decode()}]
            path.write_text(json.dumps(self.json))
            return path
        self.json["buffers"] = [{"byteLength": len(self.data)}]
        text = json.dumps(self.json).encode()
        text += b" " * (-len(text) % 4)
        data = self.data + b"\0" * (-len(self.data) % 4)
        body = struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", len(data), 0x004E4942) + data
        path.write_bytes(b"glTF" + struct.pack("<II", 2, 12 + len(body)) + body)
        return path
