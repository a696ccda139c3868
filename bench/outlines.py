"""Outlines drawn by hand on five photographs of scikit-image and scikit-learn: what each is a picture of; and of skies.

Points are columns and rows in px, read off an enlarged view without a mask on it, though masks of four of them had been
seen at fit before; the lines between them are within about 4 px of what is seen. What may belong to it or not, such as
a tripod or a second flower, is not judged.
"""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
import skimage.data
from numpy.typing import NDArray
from sklearn.datasets import load_sample_image

Pixels = NDArray[np.uint8]


@dataclass(frozen=True)
class Outlined:
    """A photograph with what it is of."""

    load: Callable[[], Pixels]
    inside: str
    unsure: tuple[str, ...] = ()
    taps: tuple[tuple[int, int, bool], ...] = ()
    """At most two that a careful eye would set on what is found: column, row, and whether that belongs to it."""

    def pixels(self) -> Pixels:
        """(height, width, 3)."""
        loaded = self.load()
        return np.ascontiguousarray(loaded if loaded.ndim == 3 else np.repeat(loaded[..., None], 3, axis=2))

    def overlap(self, share: NDArray[np.floating]) -> float:
        """Of what a mask (height, width) takes, see `overlap`."""
        return overlap(share, self.inside, self.unsure)


def overlap(share: NDArray[np.floating], inside: str, unsure: tuple[str, ...] = ()) -> float:
    """Intersection over union of what a mask (height, width) takes by more than half, where it is judged."""
    shape = share.shape
    judged, truth = _filled(shape, unsure) == 0, _filled(shape, (inside,)) > 0
    taken = share > 0.5
    return float((taken & truth & judged).sum() / max(((taken | truth) & judged).sum(), 1))


def _filled(shape: tuple[int, ...], outlines: tuple[str, ...]) -> Pixels:
    out = np.zeros(shape, np.uint8)
    for each in outlines:
        points = np.array([pair.split(",") for pair in each.split()], np.int32)
        cv2.fillPoly(out, [points], 1)
    return out


OUTLINED: dict[str, Outlined] = {
    "cat": Outlined(
        skimage.data.chelsea,
        "40,0 35,15 32,30 30,60 28,85 30,100 25,108 0,123 0,300 293,300 300,280 313,255 316,240 "
        "317,225 320,215 330,205 340,195 350,180 358,160 360,140 363,120 358,100 355,78 360,68 370,55 "
        "375,40 385,20 398,0",
        ("293,300 300,280 313,255 330,262 335,300",),
        taps=((375, 20, True), (325, 270, False)),
    ),
    "cup": Outlined(
        skimage.data.coffee,
        "283,18 255,21 230,28 205,42 187,60 178,75 160,83 130,105 105,135 90,165 80,195 77,215 80,240 "
        "90,270 105,295 130,322 160,345 190,364 220,377 255,386 290,389 325,387 360,380 390,368 "
        "420,350 445,325 463,295 475,260 479,235 479,215 474,190 462,160 445,130 430,112 418,100 "
        "421,90 424,78 421,71 412,67 402,67 397,72 392,68 382,55 365,40 345,29 320,21",
    ),
    "astronaut": Outlined(
        skimage.data.astronaut,
        "230,15 250,20 270,30 285,45 297,65 301,90 297,110 288,125 272,135 267,137 262,150 257,165 "
        "254,174 275,185 290,205 301,230 306,245 320,242 335,255 347,275 355,300 361,330 364,348 "
        "380,345 400,344 420,346 445,355 465,370 480,390 490,410 496,440 499,453 509,465 512,470 "
        "512,512 40,512 30,490 25,460 23,430 24,400 25,385 26,360 30,330 35,305 42,285 50,265 60,250 "
        "75,232 95,218 113,207 114,200 114,188 120,183 123,172 132,160 148,151 165,148 186,150 "
        "182,131 176,124 165,115 157,103 154,85 154,70 160,55 175,42 195,33 210,22",
    ),
    "cameraman": Outlined(
        skimage.data.camera,
        "0,260 18,225 30,200 45,180 60,160 75,142 100,130 130,124 145,110 158,105 161,100 172,85 "
        "185,72 200,65 215,66 228,70 245,84 260,100 270,118 269,130 262,132 256,140 275,140 300,143 "
        "312,139 324,140 324,155 320,157 322,168 331,175 331,195 322,212 310,225 297,232 302,270 "
        "304,275 290,285 270,303 248,312 235,310 206,296 190,320 175,340 155,365 141,380 148,415 "
        "151,460 151,512 0,512",
        (
            "240,186 300,186 300,200 262,218 248,246 243,225",
            "270,200 350,295 420,512 220,512 285,315",
            "320,300 340,298 340,310 300,320",
            "285,200 312,200 312,320 285,320",
        ),
        taps=((110, 490, True),),
    ),
    "flower": Outlined(
        lambda: load_sample_image("flower.jpg"),
        "318,85 335,92 352,92 372,99 387,110 397,113 411,130 423,142 428,155 433,170 433,182 441,195 "
        "445,210 445,230 443,245 437,262 430,278 425,290 417,303 408,312 402,325 390,332 375,335 "
        "362,345 345,352 325,358 300,360 280,355 255,352 235,342 215,330 200,315 188,300 180,280 "
        "172,262 170,245 170,225 170,205 175,195 177,180 180,170 190,168 188,155 195,140 203,132 "
        "208,120 225,113 240,103 265,95 285,96 300,90",
        ("280,368 480,368 480,427 280,427",),
    ),
}

SKIES: dict[str, tuple[str, str, str, tuple[str, ...]]] = {
    "stars": (
        "paper-kit-2",
        "0f2f028f00",
        "0,676 17,659 52,680 105,662 166,634 227,659 296,655 383,645 444,622 479,636 502,633 514,654 "
        "575,706 645,683 671,694 729,669 819,690 854,669 906,666 950,676 976,697 1046,697 1115,685 "
        "1150,680 1220,697 1307,723 1359,732 1412,715 1447,732 1516,723 1569,725 1621,746 1664,718 "
        "1717,701 1769,711 1804,702 1874,694 1908,697 1987,718 2074,749 2161,779 2248,777 2283,788 "
        "2353,781 2440,798 2440,0 0,0",
        (),
    ),
    "fjord": (
        "paper-kit-2",
        "6376e7279f",
        "0,361 67,428 152,504 200,551 247,570 627,471 703,498 760,498 827,485 893,490 950,517 "
        "1026,542 1102,576 1178,646 1277,718 1369,665 1521,612 1578,599 1635,551 1701,509 1720,551 "
        "1796,551 1825,494 1872,428 1910,418 1977,447 2024,485 2110,479 2167,509 2233,517 2281,485 "
        "2338,380 2357,276 2414,190 2471,143 2566,0 0,0",
        (
            "114,437 209,570 266,608 475,703 646,570 760,498 722,447 570,447 380,532 247,475",
            "836,466 988,504 1064,551 1140,570 1064,513",
        ),
    ),
    "lagoon": (
        "paper-kit-2",
        "c36afc5933",
        "0,360 206,362 329,350 365,329 386,326 406,334 432,331 453,331 468,355 535,346 551,334 "
        "552,257 561,221 565,209 569,221 578,252 581,339 607,324 610,303 617,303 619,324 658,321 "
        "663,303 674,288 679,280 687,291 696,309 699,319 725,319 741,314 758,317 761,339 897,343 "
        "901,368 951,372 967,372 998,365 1003,355 1039,355 1090,345 1116,345 1121,355 1162,355 "
        "1214,360 1286,362 1347,355 1368,327 1383,345 1414,357 1440,358 1440,0 0,0",
        ("206,339 535,339 535,375 206,375",),
    ),
    "pass": (
        "material-kit",
        "f3dd7de622",
        "0,195 104,195 207,203 342,199 414,199 518,202 570,200 590,171 616,135 647,98 663,75 704,62 "
        "746,72 787,95 813,112 829,112 839,83 849,62 865,57 875,26 880,0 0,0",
        ("0,186 559,192 559,209 0,209",),
    ),
}
"""Skies of photographs that `bench.photographs` fetches, drawn likewise on a view of 1,400 px: package, content,
outline, and what is not judged: clouds before a mountain, masts, a far shore in haze."""
