"""How a final picture is made (Render)."""

from typing import Annotated, Literal

from aulmo.document import property as say
from aulmo.document.record_base import Record


class Quality(Record):
    """Size, noise and time of pictures of one use. Without its `own` it is that of stills; `scale_percent` is of the shot's pixels each way."""

    own: Annotated[bool, say.choice("Made", {False: "As stills are", True: "In its own way"})] = False
    scale_percent: Annotated[float, say.number("Size", 10, 200, "%", 0, 1, 1000, curve=1.5, tip="Of the shot’s width and height")] = 100.0
    stop: Annotated[Literal["noise", "samples", "time"], say.choice("Stops at", "Noise", "Samples", "Time")] = "noise"
    samples: Annotated[int, say.whole("Samples", 1, 4096, 1, 1_000_000)] = 128
    noise_percent: Annotated[float, say.number("Noise", 0.5, 20, "%", 2, 0.01, 1000)] = 4.0
    seconds: Annotated[float, say.number("Time", 1, 3600, "s", 0, 0.1, 1e7)] = 60.0


class RenderSettings(Record):
    """How a final picture is made. `finished` lays the shot's finish on what shows it, a `negative` is the light and its passes, kept beside it. What
    is said here is of stills; `film` and `preview` may be made otherwise, and the live picture stops at a noise of its own."""

    stop: Annotated[Literal["noise", "samples", "time"], say.choice("Stops at", "Noise", "Samples", "Time")] = "noise"
    samples: Annotated[int, say.whole("Samples", 1, 4096, 1, 1_000_000)] = 256
    noise_percent: Annotated[float, say.number("Noise", 0.5, 20, "%", 2, 0.01, 1000)] = 2.0
    seconds: Annotated[float, say.number("Time", 1, 3600, "s", 0, 0.1, 1e7)] = 120.0
    denoise: Annotated[bool, say.yes("Denoise")] = True
    transparent: Annotated[bool, say.yes("Leave background out")] = False
    file_type: Annotated[
        Literal["png", "png16", "tif8", "tif", "tif32", "jpg", "webp", "exr", "exr32", "ora"],
        say.choice("Type", "PNG 8 bit", "PNG 16 bit", "TIFF 8 bit", "TIFF 16 bit", "TIFF float", "JPEG", "WebP", "EXR half", "EXR full",
            "Layers (OpenRaster)"),
    ] = "png"
    quality: Annotated[int, say.whole("Quality", 50, 100, 1, 100)] = 95
    profile: Annotated[Literal["sRGB", "Display P3", "ACEScg"], say.choice("Colours", "sRGB", "Display P3", "ACEScg (light)")] = "sRGB"
    dpi: Annotated[int, say.whole("Pixels an inch", 0, 600, 0, 10000, "0 says nothing of it")] = 0
    alpha: Annotated[Literal["straight", "premultiplied"], say.choice("Alpha", "Straight", "Premultiplied")] = "straight"
    exr_parts: Annotated[bool, say.yes("A part for each layer", "Some programs want it so; off, all layers lie in one part")] = False
    folder: Annotated[str, say.text("Folder")] = ""
    straight_glass: Annotated[
        bool,
        say.yes("Straight and clean",
            "Shadows and indirect light go straight through clear glass. Off: bent as in nature, with caustics and more noise."),
    ] = True
    bounces: Annotated[int, say.whole("In all", 0, 64, 0, 1024)] = 12
    diffuse_bounces: Annotated[int, say.whole("Matt", 0, 64, 0, 1024)] = 5
    specular_bounces: Annotated[int, say.whole("Shiny", 0, 64, 0, 1024)] = 12
    clear_bounces: Annotated[int, say.whole("Clear", 0, 64, 0, 1024)] = 12
    scatters: Annotated[int, say.whole("Scatterings", 0, 4096, 0, 1_000_000)] = 1024
    clamp_stops: Annotated[
        float,
        say.number("Clamp at", 0, 12, "stops", 1, 0, 60,
            tip="Indirect light brighter than this many stops over white is held there, against fireflies; 0 leaves all light as it is"),
    ] = 5.0
    seed: Annotated[int, say.whole("Pattern", 0, 1000, 0, 2_000_000_000)] = 0
    passes: Annotated[tuple[Literal["paths", "groups", "surface", "shadow", "occlusion", "motion", "mattes", "noise"], ...], say.many("Passes")] = ()
    denoise_groups: Annotated[bool, say.yes("Denoise each group")] = False
    occlusion_mm: Annotated[float, say.number("Occlusion reach", 0, 500, "mm", 1, most=1e8)] = 0.0
    finished: Annotated[bool, say.yes("Finished", "The shot’s finish is laid on; off, the render as it is")] = True
    negative: Annotated[
        bool,
        say.yes("Keep the light for Finish", "Beside the picture its light is kept, with the passes that are ticked: Finish works on it"),
    ] = True
    film: Quality = Quality()
    preview: Quality = Quality(own=True, scale_percent=40.0, stop="samples", samples=16)
    live_noise_percent: Annotated[
        float, say.number("Live picture to", 1, 30, "%", 1, 0.05, 1000, tip="The noise at which the picture that is worked on stops")
    ] = 6.0
