"""The orders in which pictures can be shown."""

from ....measure.sort.brief import Brief
from ....shoot.choosing import Seen

ORDERS = {
    "name": "by name", "sharp": "sharpest first", "full": "most clipped first", "noise": "noisiest first",
    "dust": "most dust first", "tilt": "most tilted first",
    "time": "by time taken", "iso": "by ISO", "lens": "by lens", "rank": "best rank first",
}  # fmt: skip
"""Of the pictures of a shoot, in words."""


def place_of(seen: Seen, brief: Brief | None, order: str) -> tuple[bool, float, str, str]:
    """What pictures are put into an order by: whether that is not known, a number, a text, the name."""
    number, text = _known(seen, brief, order)
    return number is None and not text, number or 0.0, text, seen.path.name.lower()


def _known(seen: Seen, brief: Brief | None, order: str) -> tuple[float | None, str]:
    shot = seen.exposure
    if order == "rank":
        return (-float(seen.document.rank) or None), ""
    if order in ("time", "iso", "lens"):
        if shot is None:
            return None, ""
        # of a zoom by how it was set
        lens = f"{shot.lens} {shot.focal_mm or 0.0:09.2f}" if shot.lens or shot.focal_mm else ""
        return {"time": (None, shot.time_utc or ""), "iso": (shot.iso, ""), "lens": (None, lens)}[order]
    if brief is None:
        return None, ""
    dust = None if brief.dust is None else -float(brief.dust)
    tilt = None if brief.tilt_deg is None else -abs(brief.tilt_deg)
    told = {"sharp": brief.edges_px, "full": -brief.full_share, "noise": brief.snr_dB, "dust": dust, "tilt": tilt}
    return told[order], ""
