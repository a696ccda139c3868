"""The process in which littleCMS reads a colour profile that came as a file:

    python -m matiz.deliver.through_profile CODES PROFILE HEIGHT WIDTH INTENT FLAGS [BACK]

CODES is a file of uint16 (HEIGHT, WIDTH, 3) in ROMM RGB; they are replaced by those of the profile, or, with an intent
to come BACK by, by how those look, in ROMM RGB again. Exit code 1 and a line on stderr when the profile cannot be used.
"""

import resource
import sys
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from .profiles import EXACT, profile_of

STRIP_ROWS = 512
MOST_MEMORY, MOST_SECONDS = 4 * 2**30, 300


def main(arguments: list[str]) -> int:
    codes_path, profile_path, *numbers = arguments
    height, width, intent, flags, *back = (int(text) for text in numbers)
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (MOST_SECONDS, MOST_SECONDS))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    profile = Path(profile_path).read_bytes()
    codes = np.memmap(codes_path, np.uint16, "r+", shape=(height, width, 3))
    try:
        for first in range(0, height, STRIP_ROWS):
            strip = np.ascontiguousarray(codes[first : first + STRIP_ROWS])
            strip = _turned(strip, profile_of("ROMM RGB"), profile, intent, flags)
            for way_back in back:
                # a paper's black must not pass for black
                strip = _turned(strip, profile, profile_of("ROMM RGB"), way_back, EXACT)
            codes[first : first + STRIP_ROWS] = strip
    except (imagecodecs.CmsError, ValueError, TypeError, RuntimeError) as error:
        print(error, file=sys.stderr)
        return 1
    codes.flush()
    return 0


def _turned(codes: NDArray[Any], source: bytes, target: bytes, intent: int, flags: int) -> NDArray[Any]:
    return imagecodecs.cms_transform(
        codes, source, target, colorspace="rgb", outcolorspace="rgb", outdtype=np.uint16, intent=intent, flags=flags
    )


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
