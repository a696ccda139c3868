"""A start where the camera left off."""

from ..colour.spaces import decode_sRGB
from ..proposals.camera_start import camera_start
from ..recipe.change import Settings
from .jobs import Job
from .session import Session

PREVIEW_PX = 1000
"""Long side of the preview that exposure and curve are fitted to."""


def follow_preview(session: Session) -> None:
    """Fit exposure and curve of the open picture to the preview in its file, aside, as one step."""
    if session.picture is None:
        return
    engine, recipe, path, decoder = session.picture.engine, session.recipe, session.picture.path, session.decoder

    def fitted(_: Job) -> Settings:
        codes = decoder.listing(path, PREVIEW_PX)[0]
        return camera_start(engine, decode_sRGB(codes[..., 2::-1] / 255.0), recipe)

    session.do_aside(fitted, "follow the preview", lambda found: session.commit(found, "As the camera showed it"))
