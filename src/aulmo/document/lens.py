"""How wide a camera sees: one place for what follows from its sensor and focal length, or from the span of a parallel one."""

from aulmo.document.records import Camera


def half_width(camera: Camera) -> float:
    """Tangent of half the horizontal angle that the frame shows; of a parallel projection half its span in mm."""
    return 0.5 * camera.span_mm if camera.projection == "parallel" else half_tangent(camera)


def half_tangent(camera: Camera) -> float:
    """Tangent of half the horizontal angle, as in perspective."""
    return 0.5 * camera.sensor_mm / camera.focal_length_mm


def width_at(camera: Camera, ahead: float) -> float:
    """Width in mm of what the frame shows `ahead` mm along the view."""
    return camera.span_mm if camera.projection == "parallel" else ahead * 2.0 * half_tangent(camera)
