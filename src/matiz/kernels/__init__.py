"""The hot pixel paths, as Halide pipelines compiled ahead of time.

One module per kernel. Each holds ``define()``, which describes the pipeline and is only called by
the build, and one public function, which checks its arrays and calls the compiled code. Images
are C-contiguous float32 arrays of shape (height, width, channels).
"""
