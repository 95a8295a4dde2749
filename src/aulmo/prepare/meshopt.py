"""Buffers packed as the glTF extension EXT_meshopt_compression describes (Khronos, "Appendix A: Bitstream"). Runs only in the reading process."""

import numpy as np

_MOST = 1 << 28


def decode(data: bytes, mode: str, count: int, stride: int, filtered: str = "NONE") -> bytes:
    """The unpacked bytes of a buffer view: `count` elements of `stride` bytes. Raises ValueError or IndexError when it is damaged."""
    if not (0 < count * stride < _MOST and len(data) > 1):
        raise ValueError("an impossible size")
    if mode == "ATTRIBUTES":
        found = _filtered(_attributes(data, count, stride), filtered, stride)
        return found.tobytes()
    if stride not in (2, 4):
        raise ValueError("an impossible stride")
    if mode == "TRIANGLES":
        indices = _triangles(data, count)
    elif mode == "INDICES":
        indices = _indices(data, count)
    else:
        raise ValueError(f"mode {mode}")
    return np.array(indices, np.int64).astype(np.uint16 if stride == 2 else np.uint32).tobytes()


def _attributes(data: bytes, count: int, stride: int) -> np.ndarray:
    """(count, stride) uint8: differences from one element to the next, byte by byte, in blocks."""
    if data[0] != 0xA0 or stride % 4 or stride > 256:
        raise ValueError("an unknown way of packing")
    raw = np.frombuffer(data, np.uint8)
    last = raw[len(raw) - stride :].copy()
    out = np.empty((count, stride), np.uint8)
    longest = min((8192 // stride) & ~15, 256)
    at = 1
    for start in range(0, count, longest):
        length = min(longest, count - start)
        groups = (length + 15) // 16
        block = np.zeros((groups * 16, stride), np.uint8)
        for k in range(stride):
            header = at
            at += (groups + 3) // 4
            for group in range(groups):
                bits = (data[header + group // 4] >> (2 * (group % 4))) & 3
                if bits == 0:
                    continue
                if bits == 3:
                    block[16 * group : 16 * group + 16, k] = raw[at : at + 16]
                    at += 16
                    continue
                wide = 2 * bits  # two or four bits to a value
                packed = raw[at : at + 2 * wide]
                at += 2 * wide
                if bits == 1:
                    values = np.stack([packed >> 6, (packed >> 4) & 3, (packed >> 2) & 3, packed & 3], 1).reshape(-1)
                else:
                    values = np.stack([packed >> 4, packed & 15], 1).reshape(-1)
                large = np.flatnonzero(values == (1 << wide) - 1)
                if len(large):
                    values[large] = raw[at : at + len(large)]
                    at += len(large)
                block[16 * group : 16 * group + 16, k] = values
        differences = (block >> 1) ^ (0 - (block & 1)).astype(np.uint8)
        differences[0] += last
        out[start : start + length] = np.cumsum(differences[:length], 0, dtype=np.uint8)
        last = out[start + length - 1]
    return out


def _filtered(values: np.ndarray, name: str, stride: int) -> np.ndarray:
    """Octahedral normals, quaternions and numbers by exponent made plain."""
    if name == "NONE":
        return values
    if name == "EXPONENTIAL":
        words = values.reshape(-1).view("<i4")
        return np.ldexp(((words << 8) >> 8).astype(np.float64), words >> 24).astype("<f4")
    if name == "OCTAHEDRAL" and stride in (4, 8):
        kind, most = (np.int8, 127.0) if stride == 4 else (np.int16, 32767.0)
        v = values.view(kind).astype(float)
        x, y = v[:, 0], v[:, 1]
        z = v[:, 2] - np.abs(x) - np.abs(y)
        fold = np.minimum(z, 0.0)
        x = x + np.where(x >= 0, fold, -fold)
        y = y + np.where(y >= 0, fold, -fold)
        found = np.stack([x, y, z], 1)
        found *= (most / np.maximum(1e-9, np.linalg.norm(found, axis=1)))[:, None]
        v[:, :3] = np.trunc(found + np.where(found >= 0, 0.5, -0.5))
        return v.astype(kind)
    if name == "QUATERNION" and stride == 8:
        v = values.view(np.int16).astype(float)
        scale = 1.0 / (np.sqrt(2.0) * (values.view(np.int16)[:, 3] | 3))
        x, y, z = (v[:, k] * scale for k in range(3))
        w = np.sqrt(np.maximum(0.0, 1.0 - x * x - y * y - z * z))
        largest = values.view(np.int16)[:, 3] & 3
        out = np.empty_like(v)
        rows = np.arange(len(v))
        for k, part in enumerate((x, y, z)):
            out[rows, (largest + 1 + k) & 3] = part
        out[rows, largest] = w
        return np.trunc(out * 32767.0 + np.where(out >= 0, 0.5, -0.5)).astype(np.int16)
    raise ValueError(f"filter {name}")


class _Bytes:
    """Whole numbers of seven bits to a byte, one after another."""

    def __init__(self, data: bytes, at: int, end: int) -> None:
        self.data, self.at, self.end = data, at, end

    def byte(self) -> int:
        """The next byte."""
        if self.at >= self.end:
            raise IndexError("cut short")
        self.at += 1
        return self.data[self.at - 1]

    def number(self) -> int:
        """The next whole number."""
        found = shift = 0
        while True:
            byte = self.byte()
            found |= (byte & 127) << shift
            shift += 7
            if byte < 128 or shift > 28:
                return found

    def step(self) -> int:
        """The next difference."""
        value = self.number()
        return (value >> 1) ^ -(value & 1)


def _indices(data: bytes, count: int) -> list[int]:
    if data[0] & 0xF0 != 0xD0 or data[0] & 15 > 1:
        raise ValueError("an unknown way of packing")
    source = _Bytes(data, 1, len(data) - 4)
    last, out = [0, 0], []
    for _ in range(count):
        value = source.number()
        which, value = value & 1, value >> 1
        last[which] = (last[which] + ((value >> 1) ^ -(value & 1))) & 0xFFFFFFFF
        out.append(last[which])
    return out


def _triangles(data: bytes, count: int) -> list[int]:
    """Indices of triangles: each leans on one of the sixteen edges and vertices that came last."""
    if data[0] & 0xF0 != 0xE0 or data[0] & 15 > 1 or count % 3:
        raise ValueError("an unknown way of packing")
    near = 13 if data[0] & 15 else 15
    total = count // 3
    table = data[len(data) - 16 :]
    source = _Bytes(data, 1 + total, len(data) - 16)
    edges, vertices = [(0, 0)] * 16, [0] * 16
    edge_at = vertex_at = following = last = 0
    out: list[int] = []

    for code in data[1 : 1 + total]:
        if code < 0xF0:
            a, b = edges[(edge_at - 1 - (code >> 4)) & 15]
            way = code & 15
            if way < near:
                fresh = way == 0
                c = following if fresh else vertices[(vertex_at - 1 - way) & 15]
                following += fresh
            else:
                fresh = True
                c = last = last + (way - (way ^ 3)) if way != 15 else last + source.step()
            if fresh:
                vertices[vertex_at] = c
                vertex_at = (vertex_at + 1) & 15
            for edge in ((c, b), (a, c)):
                edges[edge_at] = edge
                edge_at = (edge_at + 1) & 15
        else:
            if code < 0xFE:
                first, ways = 0, table[code & 15]
            else:
                first, ways = (0 if code == 0xFE else 15), source.byte()
                if ways == 0:
                    following = 0
            second, third = ways >> 4, ways & 15
            a = b = c = 0
            if first == 0:
                a, following = following, following + 1
            if second == 0:
                b, following = following, following + 1
            else:
                b = vertices[(vertex_at - second) & 15]
            if third == 0:
                c, following = following, following + 1
            else:
                c = vertices[(vertex_at - third) & 15]
            if code >= 0xFE:
                if first == 15:
                    a = last = last + source.step()
                if second == 15:
                    b = last = last + source.step()
                if third == 15:
                    c = last = last + source.step()
            ended = (15,) if code >= 0xFE else ()
            for vertex, push in ((a, True), (b, second == 0 or second in ended), (c, third == 0 or third in ended)):
                if push:
                    vertices[vertex_at] = vertex
                    vertex_at = (vertex_at + 1) & 15
            for edge in ((b, a), (c, b), (a, c)):
                edges[edge_at] = edge
                edge_at = (edge_at + 1) & 15
        out += (a, b, c)
    return [v & 0xFFFFFFFF for v in out]
