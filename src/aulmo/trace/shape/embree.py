"""Embree, the ray intersection library, loaded from its wheel and callable from Numba kernels.

A ray and its hit share one 96-byte block (RTCRayHit of Embree 4), kept as 24 float32 in an array:
0-2 origin, 3 tnear, 4-6 direction, 7 time, 8 tfar, 9 mask, 10 id, 11 flags, 12-14 geometric normal, 15-16 barycentric u v,
17 primitive, 18 geometry, 19 instance.
"""

import ctypes
from pathlib import Path

import numpy as np

from aulmo.trace.compile.borrowed import address
from aulmo.trace.compile.entry import entry
from aulmo.trace.compile.jit import inlined

import llvmlite.binding as llvm  # noqa: E402
from numba import types  # noqa: E402

RAY_WORDS = 24
NO_HIT = np.uint32(0xFFFFFFFF)
MASK_SOLID, MASK_CLEAR, MASK_CATCHER, MASK_LAMP = 1, 2, 4, 8
MASK_MIXED = 16  # besides MASK_CLEAR, of a part with solid faces as well
MASK_EYE, MASK_BOUNCE = 32, 64  # besides: what the camera sees; what catches shadow and yet gives light to what stands on it

_BUFFER_INDEX, _BUFFER_VERTEX = 0, 1
_GEOMETRY_TRIANGLE, _GEOMETRY_INSTANCE = 0, 121
_FORMAT_UINT3, _FORMAT_FLOAT3, _FORMAT_FLOAT3X4_ROW = 0x5003, 0x9003, 0x9134
_SCENE_ROBUST = 1 << 2
_QUALITY_LOW, _QUALITY_MEDIUM = 0, 1


# what sets up an instance, also called from a kernel where there are thousands
_OF_MANY = (
    "rtcNewGeometry", "rtcSetGeometryInstancedScene", "rtcSetGeometryTransform", "rtcSetGeometryMask", "rtcCommitGeometry", "rtcAttachGeometryByID",
    "rtcReleaseGeometry",
)  # fmt: skip
MANY = 1000


def _load():
    import embreex

    libs = Path(embreex.__file__).parent.parent / "embreex.libs"
    ctypes.CDLL(str(next(libs.glob("libtbb*"))), mode=ctypes.RTLD_GLOBAL)
    lib = ctypes.CDLL(str(next(libs.glob("libembree4*"))))
    p, u, size = ctypes.c_void_p, ctypes.c_uint, ctypes.c_size_t
    for name, result, arguments in (
        ("rtcNewDevice", p, [ctypes.c_char_p]),
        ("rtcGetDeviceError", ctypes.c_int, [p]),
        ("rtcNewScene", p, [p]),
        ("rtcSetSceneFlags", None, [p, ctypes.c_int]),
        ("rtcSetSceneBuildQuality", None, [p, ctypes.c_int]),
        ("rtcCommitScene", None, [p]),
        ("rtcReleaseScene", None, [p]),
        ("rtcNewGeometry", p, [p, ctypes.c_int]),
        ("rtcSetSharedGeometryBuffer", None, [p, ctypes.c_int, u, ctypes.c_int, p, size, size, size]),
        ("rtcSetGeometryInstancedScene", None, [p, p]),
        ("rtcSetGeometryTransform", None, [p, u, ctypes.c_int, p]),
        ("rtcSetGeometryTimeStepCount", None, [p, u]),
        ("rtcSetGeometryMask", None, [p, u]),
        ("rtcCommitGeometry", None, [p]),
        ("rtcAttachGeometryByID", None, [p, p, u]),
        ("rtcReleaseGeometry", None, [p]),
        ("rtcGetSceneBounds", None, [p, p]),
        ("rtcIntersect1", None, [p, p, p]),
    ):
        function = getattr(lib, name)
        function.restype, function.argtypes = result, arguments
    for name in ("rtcIntersect1", "rtcOccluded1", "rtcIntersect16", *_OF_MANY):
        llvm.add_symbol("aulmo_" + name, ctypes.cast(getattr(lib, name), p).value)
    return lib


_lib = _load()
_device = _lib.rtcNewDevice(b"hugepages=1")
_signature = types.void(types.uintp, types.uintp, types.uintp)
_intersect1 = types.ExternalFunction("aulmo_rtcIntersect1", _signature)
_occluded1 = types.ExternalFunction("aulmo_rtcOccluded1", _signature)
_intersect16 = types.ExternalFunction("aulmo_rtcIntersect16", types.void(types.uintp, types.uintp, types.uintp, types.uintp))

_word = types.uint32
_new_geometry = types.ExternalFunction("aulmo_rtcNewGeometry", types.uintp(types.uintp, types.int32))
_set_scene = types.ExternalFunction("aulmo_rtcSetGeometryInstancedScene", types.void(types.uintp, types.uintp))
_set_transform = types.ExternalFunction("aulmo_rtcSetGeometryTransform", types.void(types.uintp, _word, types.int32, types.uintp))
_set_mask = types.ExternalFunction("aulmo_rtcSetGeometryMask", types.void(types.uintp, _word))
_commit = types.ExternalFunction("aulmo_rtcCommitGeometry", types.void(types.uintp))
_attach = types.ExternalFunction("aulmo_rtcAttachGeometryByID", types.void(types.uintp, types.uintp, _word))
_release = types.ExternalFunction("aulmo_rtcReleaseGeometry", types.void(types.uintp))


@entry
def attach_instances(device, scene, handles, matrices, masks):
    """Put instances that stand still into a scene. handles : (n,) uint64 scenes of the meshes, 0 for one that is left out. matrices : (n, 3, 4)
    float32. masks : (n,) uint32."""
    first = address(matrices)
    for k in range(len(handles)):
        if handles[k] == 0:
            continue
        geometry = _new_geometry(device, np.int32(_GEOMETRY_INSTANCE))
        _set_scene(geometry, np.uintp(handles[k]))
        _set_transform(geometry, np.uint32(0), np.int32(_FORMAT_FLOAT3X4_ROW), np.uintp(first + np.uintp(48 * k)))
        _set_mask(geometry, masks[k])
        _commit(geometry)
        _attach(scene, geometry, np.uint32(k))
        _release(geometry)


# A packet of sixteen rays (RTCRayHit16): the fields of one ray, each sixteen wide; then the mask of valid rays.
PACKET, PACKET_FIELDS = 16, 21
PACKET_BLOCK = PACKET * (PACKET_FIELDS + 1)
PACKET_SLACK = 16  # room to begin at a multiple of 64 bytes


class _Arguments(ctypes.Structure):
    """RTCIntersectArguments: flags, feature mask, and three pointers left empty."""

    _fields_ = [
        ("flags", ctypes.c_int),
        ("features", ctypes.c_uint),
        ("context", ctypes.c_void_p),
        ("filter", ctypes.c_void_p),
        ("intersect", ctypes.c_void_p),
    ]


_coherent = _Arguments(1 << 16, 0xFFFFFFFF, None, None, None)


def coherent_arguments() -> np.uintp:
    """Address of the arguments that tell Embree the rays of a packet run alike."""
    return np.uintp(ctypes.addressof(_coherent))


class MeshTree:
    """The bounding-volume tree of one mesh.

    Parameters
    ----------
    vertices : (n, 3) float32, millimetres. triangles : (m, 3) uint32. Both are kept alive and shared, never copied.
    """

    def __init__(self, vertices: np.ndarray, triangles: np.ndarray) -> None:
        padded = np.zeros((len(vertices) + 1, 3), np.float32)  # Embree reads 16 bytes at the last vertex
        padded[:-1] = vertices
        self.vertices, self.triangles = padded[:-1], np.ascontiguousarray(triangles, np.uint32)
        self._padded = padded
        self.handle = _lib.rtcNewScene(_device)
        _lib.rtcSetSceneFlags(self.handle, _SCENE_ROBUST)
        geometry = _lib.rtcNewGeometry(_device, _GEOMETRY_TRIANGLE)
        _lib.rtcSetSharedGeometryBuffer(geometry, _BUFFER_VERTEX, 0, _FORMAT_FLOAT3, padded.ctypes.data, 0, 12, len(vertices))
        _lib.rtcSetSharedGeometryBuffer(geometry, _BUFFER_INDEX, 0, _FORMAT_UINT3, self.triangles.ctypes.data, 0, 12, len(self.triangles))
        _lib.rtcSetGeometryMask(geometry, 0xFFFFFFFF)
        _lib.rtcCommitGeometry(geometry)
        _lib.rtcAttachGeometryByID(self.handle, geometry, 0)
        _lib.rtcReleaseGeometry(geometry)
        _lib.rtcCommitScene(self.handle)

    def __del__(self) -> None:
        if getattr(self, "handle", None) and _lib is not None:
            _lib.rtcReleaseScene(self.handle)


class InstanceTree:
    """Instances of mesh trees in the world. Immutable: an edit makes a new one, a running render keeps the old.

    Parameters
    ----------
    trees : list of n MeshTree. matrices : (n, 3, 4) float32 object-to-world, rows. masks : (n,) uint32. moving : instance to (steps, 3, 4)
    float32 matrices at even times over the shutter.
    """

    def __init__(self, trees: list, matrices: np.ndarray, masks: np.ndarray, moving: dict[int, np.ndarray] | None = None) -> None:
        self.trees = list(trees)
        self.handle = _lib.rtcNewScene(_device)
        _lib.rtcSetSceneFlags(self.handle, _SCENE_ROBUST)
        matrices = np.ascontiguousarray(matrices, np.float32)
        first, each = matrices.ctypes.data, matrices.strides[0] if len(matrices) else 0
        moving = {index: np.ascontiguousarray(steps, np.float32) for index, steps in (moving or {}).items()}
        many = len(self.trees) >= MANY
        if many:
            handles = np.array([0 if k in moving else tree.handle for k, tree in enumerate(self.trees)], np.uint64)
            attach_instances(np.uintp(_device), np.uintp(self.handle), handles, matrices, np.ascontiguousarray(masks, np.uint32))
        for index, (tree, mask) in enumerate(zip(self.trees, masks.tolist())):
            if many and index not in moving:
                continue
            geometry = _lib.rtcNewGeometry(_device, _GEOMETRY_INSTANCE)
            _lib.rtcSetGeometryInstancedScene(geometry, tree.handle)
            steps = moving.get(index)
            if steps is None:
                _lib.rtcSetGeometryTransform(geometry, 0, _FORMAT_FLOAT3X4_ROW, first + index * each)
            else:
                _lib.rtcSetGeometryTimeStepCount(geometry, len(steps))
                for k in range(len(steps)):
                    _lib.rtcSetGeometryTransform(geometry, k, _FORMAT_FLOAT3X4_ROW, steps[k].ctypes.data)
            _lib.rtcSetGeometryMask(geometry, mask)
            _lib.rtcCommitGeometry(geometry)
            _lib.rtcAttachGeometryByID(self.handle, geometry, index)
            _lib.rtcReleaseGeometry(geometry)
        _lib.rtcCommitScene(self.handle)

    def __del__(self) -> None:
        if getattr(self, "handle", None) and _lib is not None:
            _lib.rtcReleaseScene(self.handle)


def intersect_once(top: np.uintp, origin, direction, mask: int) -> tuple[np.ndarray, np.ndarray]:
    """The block of a single ray met with a tree of instances from Python, as float32 and as uint32; no kernel has to be compiled for it."""
    room = np.zeros(RAY_WORDS + 4, np.float32)
    skip = (-room.ctypes.data % 16) // 4
    block = room[skip : skip + RAY_WORDS]
    words = block.view(np.uint32)
    block[:3], block[4:7], block[8] = origin, direction, 1e30
    words[9], words[17:20] = mask, NO_HIT
    _lib.rtcIntersect1(int(top), block.ctypes.data, None)
    return block, words


@inlined
def set_ray(ray, words, ox, oy, oz, dx, dy, dz, near, far, mask):
    """Fill a ray block and clear its hit."""
    ray[0] = ox
    ray[1] = oy
    ray[2] = oz
    ray[3] = near
    ray[4] = dx
    ray[5] = dy
    ray[6] = dz
    ray[7] = 0.0
    ray[8] = far
    words[9] = np.uint32(mask)
    words[10] = np.uint32(0)
    words[11] = np.uint32(0)
    words[17] = NO_HIT
    words[18] = NO_HIT
    words[19] = NO_HIT


@inlined
def intersect(scene, ray):
    """Nearest hit; written into the ray block."""
    _intersect1(scene, address(ray), 0)


@inlined
def occluded(scene, ray):
    """True when anything lies between tnear and tfar."""
    _occluded1(scene, address(ray), 0)
    return ray[8] < 0.0


@inlined
def packet_in(block):
    """The part of a float32 block that begins at a multiple of 64 bytes, as packets must: room for as many as it holds; keep it alive."""
    skip = (64 - address(block) % 64) % 64 // 4
    return block[skip : skip + (len(block) - PACKET_SLACK) // PACKET_BLOCK * PACKET_BLOCK]


@inlined
def set_packet_ray(packet, words, k, ox, oy, oz, dx, dy, dz, mask):
    """Fill ray `k` of a packet and clear its hit."""
    packet[k] = ox
    packet[PACKET + k] = oy
    packet[2 * PACKET + k] = oz
    packet[3 * PACKET + k] = 0.0
    packet[4 * PACKET + k] = dx
    packet[5 * PACKET + k] = dy
    packet[6 * PACKET + k] = dz
    packet[7 * PACKET + k] = 0.0
    packet[8 * PACKET + k] = 1e30
    words[9 * PACKET + k] = np.uint32(mask)
    words[10 * PACKET + k] = np.uint32(0)
    words[11 * PACKET + k] = np.uint32(0)
    words[17 * PACKET + k] = NO_HIT
    words[18 * PACKET + k] = NO_HIT
    words[19 * PACKET + k] = NO_HIT
    words[PACKET_FIELDS * PACKET + k] = NO_HIT  # valid


@inlined
def intersect_packet(scene, packet, arguments):
    """Nearest hits of a packet's rays."""
    _intersect16(address(packet) + 4 * PACKET_FIELDS * PACKET, scene, address(packet), arguments)


@inlined
def take_from_packet(packet, words, k, ray, ray_words):
    """Copy distance and hit of ray `k` into a single ray's block."""
    ray[8] = packet[8 * PACKET + k]
    for field in range(12, 17):
        ray[field] = packet[field * PACKET + k]
    for field in range(17, 20):
        ray_words[field] = words[field * PACKET + k]
