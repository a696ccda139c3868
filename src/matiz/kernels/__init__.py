"""The hot pixel paths, as Halide pipelines compiled ahead of time.

One module per kernel. Each holds ``define()``, which describes the pipeline and is only called by
the build, and one public function, which checks its arrays and calls the compiled code. What two pipelines share is an
expression builder, `..._expr`. Images are C-contiguous float32 arrays of shape (height, width, channels).
"""

from .library import Library

LIBRARY = Library(
    __name__,
    (
        "levels", "demosaic", "any_mosaic", "working", "rendition", "fit", "encoding", "screen", "geometry", "tone",
        "guided", "stripes", "matching", "places", "masks", "strokes", "display_places", "colour", "denoise", "sharpen",
    ),
    "_matiz_kernels",
)  # fmt: skip
