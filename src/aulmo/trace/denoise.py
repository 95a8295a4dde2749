"""Open Image Denoise, guided by albedo and normal."""

import threading

import numpy as np

_lock = threading.Lock()


def denoise(rgb: np.ndarray, albedo: np.ndarray, normal: np.ndarray, quality: str = "high") -> np.ndarray:
    """Clean (h, w, 3) float32 light. `quality` is fast, balanced or high. Thread-safe; releases the interpreter."""
    import pyoidn

    # a mirrored margin keeps the network from guessing beyond the frame's edge
    margin = min(16, *(n - 1 for n in rgb.shape[:2]))
    rgb, albedo, normal = (np.pad(plane, ((margin, margin), (margin, margin), (0, 0)), "reflect") for plane in (rgb, albedo, normal))
    with _lock:
        result = pyoidn.denoise(
            np.ascontiguousarray(rgb), albedo=np.ascontiguousarray(albedo), normal=np.ascontiguousarray(normal), hdr=True, quality=quality
        )
    h, w = result.shape[:2]
    return np.ascontiguousarray(result[margin : h - margin, margin : w - margin])
