"""Open Image Denoise, guided by albedo and normal."""

import threading

import numpy as np

_lock = threading.Lock()
_MARGIN = 16


def _with_margin(plane: np.ndarray, margin: int) -> np.ndarray:
    """A mirrored margin keeps the network from guessing beyond the frame's edge."""
    return np.ascontiguousarray(np.pad(plane, ((margin, margin), (margin, margin), (0, 0)), "reflect"), np.float32)


def denoise(rgb: np.ndarray, albedo: np.ndarray, normal: np.ndarray, quality: str = "high", clean_guides: bool = False) -> np.ndarray:
    """Clean (h, w, 3) float32 light. `quality` is fast, balanced or high. Thread-safe; releases the interpreter."""
    import pyoidn

    margin = min(_MARGIN, *(n - 1 for n in rgb.shape[:2]))
    rgb, albedo, normal = (_with_margin(plane, margin) for plane in (np.maximum(rgb, 0.0), albedo, normal))
    with _lock:
        result = pyoidn.denoise(rgb, albedo=albedo, normal=normal, hdr=True, quality=quality, clean_aux=clean_guides)
    h, w = result.shape[:2]
    return np.ascontiguousarray(result[margin : h - margin, margin : w - margin])


def cleaned_guides(albedo: np.ndarray, normal: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Albedo and normal with their own noise (lens blur, motion, pixel edges) taken out, for a final's `clean_guides`."""
    import pyoidn

    margin = min(_MARGIN, *(n - 1 for n in albedo.shape[:2]))
    results = []
    with _lock, pyoidn.Device() as device:
        device.commit()
        for name, plane in (("albedo", np.clip(albedo, 0, 1)), ("normal", np.clip(normal, -1, 1))):
            padded = _with_margin(plane, margin)
            out = np.zeros_like(padded)
            with pyoidn.Filter(device, "RT") as work:
                work.set_image(name, padded, pyoidn.OIDN_FORMAT_FLOAT3)
                work.set_image("output", out, pyoidn.OIDN_FORMAT_FLOAT3)
                work.commit()
                work.execute()
            h, w = out.shape[:2]
            results.append(np.ascontiguousarray(out[margin : h - margin, margin : w - margin]))
    return results[0], results[1]
