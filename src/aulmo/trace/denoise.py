"""Open Image Denoise, guided by albedo and normal."""

import threading

import numpy as np

_lock = threading.Lock()


def denoise(rgb: np.ndarray, albedo: np.ndarray, normal: np.ndarray, quality: str = "high") -> np.ndarray:
    """Clean (h, w, 3) float32 light. `quality` is fast, balanced or high. Thread-safe; releases the interpreter."""
    import pyoidn

    with _lock:
        result = pyoidn.denoise(
            np.ascontiguousarray(rgb), albedo=np.ascontiguousarray(albedo), normal=np.ascontiguousarray(normal), hdr=True, quality=quality
        )
    return np.asarray(result)
