"""The process in which littleCMS reads a colour profile that came as a file:

    python -m matiz.deliver.through_profile CODES PROFILE HEIGHT WIDTH INTENT FLAGS

CODES is a file of uint16 (HEIGHT, WIDTH, 3) in ROMM RGB; they are replaced by those of the profile. Exit code 1 and a
line on stderr when the profile cannot be used.
"""

import resource
import sys
from pathlib import Path

import imagecodecs
import numpy as np

from .profiles import profile_of

STRIP_ROWS = 512
MOST_MEMORY, MOST_SECONDS = 4 * 2**30, 300


def main(arguments: list[str]) -> int:
    codes_path, profile_path, *numbers = arguments
    height, width, intent, flags = (int(text) for text in numbers)
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (MOST_SECONDS, MOST_SECONDS))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    profile = Path(profile_path).read_bytes()
    codes = np.memmap(codes_path, np.uint16, "r+", shape=(height, width, 3))
    try:
        for first in range(0, height, STRIP_ROWS):
            strip = np.ascontiguousarray(codes[first : first + STRIP_ROWS])
            codes[first : first + STRIP_ROWS] = imagecodecs.cms_transform(
                strip, profile_of("ROMM RGB"), profile, colorspace="rgb", outcolorspace="rgb", outdtype=np.uint16,
                intent=intent, flags=flags,
            )  # fmt: skip
    except (imagecodecs.CmsError, ValueError, TypeError, RuntimeError) as error:
        print(error, file=sys.stderr)
        return 1
    codes.flush()
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
