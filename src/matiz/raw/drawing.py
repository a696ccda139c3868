"""A drawing that comes as a picture file, such as a signature: how much of each px it covers.

The file is read in a process of its own:

    python -m matiz.raw.drawing FILE

writes height and width, 4 bytes each, and a byte for each px to its standard output. Exit code 1 and a line on stderr
when the file cannot be read.
"""

import resource
import struct
import sys
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..errors import FormatError
from ..system.children import run_module

LONG_PX = 400
"""Of what is kept of a drawing, at most."""
MOST_MEMORY, MOST_SECONDS = 2 * 2**30, 30
EMPTY = 0.02


def read_drawing(path: Path) -> NDArray[np.float32]:
    """Covered shares (height, width), 0..1, cut to what is drawn: of a picture with transparency what is opaque, of
    any other what is dark. FormatError when it cannot be read, or holds nothing."""
    done = run_module("matiz.raw.drawing", str(path.absolute()))
    if done.returncode or len(done.stdout) < 8:
        said = done.stderr.decode("utf-8", "replace").strip().splitlines()[-1:] or ["its reader died"]
        raise FormatError(f"{path.name}: cannot be read as an image ({said[0]:.160}); save it as PNG")
    height, width = struct.unpack("<II", done.stdout[:8])
    codes = np.frombuffer(done.stdout[8:], np.uint8)
    if codes.size != height * width:
        raise FormatError(f"{path.name}: cannot be read as an image (its reader died); save it as PNG")
    shares = codes.reshape(height, width).astype(np.float32) / np.float32(255.0)
    rows, columns = (np.flatnonzero((shares > EMPTY).any(axis=axis)) for axis in (1, 0))
    if not rows.size:
        raise FormatError(f"{path.name}: it is empty; choose an image with dark or opaque lines")
    return np.ascontiguousarray(shares[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1])


def main(arguments: list[str]) -> int:
    from PIL import Image

    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (MOST_SECONDS, MOST_SECONDS))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        with Image.open(arguments[0]) as picture:
            coloured = picture.convert("RGBA")
    except Exception as error:  # whatever a damaged file makes the library do
        print(f"{type(error).__name__}: {error}", file=sys.stderr)
        return 1
    coloured.thumbnail((LONG_PX, LONG_PX))
    codes = np.asarray(coloured)
    opaque = codes[..., 3]
    covered = opaque if opaque.min() < 255 else 255 - codes[..., :3].max(axis=2)
    sys.stdout.buffer.write(struct.pack("<II", *covered.shape) + np.ascontiguousarray(covered).tobytes())
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
