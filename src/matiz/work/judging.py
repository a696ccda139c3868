"""What is measured and found of the open picture."""

from collections.abc import Callable, Iterable

from ..findings.model import Finding
from ..measure.picture import PictureReading
from ..recipe.model import Recipe
from ..shoot.open_picture import OpenPicture
from .measuring import Measured, Measurer, WantedReadings
from .signals import Signal


class Judging:
    """Readings as they come, and findings without those that the user silenced."""

    readingsChanged = Signal()
    """A frozenset of names."""
    findingsChanged = Signal()
    failed = Signal()

    def __init__(self, silenced: Callable[[], set[str]]) -> None:
        """silenced: gives the ids and keys of findings that are not to be mentioned."""
        self._silenced = silenced
        self._picture: OpenPicture | None = None
        self._visible: tuple[str, ...] = ()
        self._station = ""
        self._measurer = Measurer()
        self._measurer.answered.connect(self._on_measured)
        self._measurer.failed.connect(lambda _, text: self.failed.emit(f"measuring failed: {text}"))
        self.forget()

    def forget(self) -> None:
        """Another picture is open, or none."""
        self._picture = None
        self.reading = PictureReading({})
        self.findings: list[Finding] = []
        self._found: list[Finding] = []
        self.is_measured = False

    def watch(self, readings: tuple[str, ...], station: str) -> None:
        """Which readings are seen now, and of which station: they are measured first."""
        self._visible, self._station = readings, station

    def measure(self, picture: OpenPicture, recipe: Recipe, *, moving: bool) -> None:
        """Measure behind the hand; while it moves, only what is seen."""
        self._picture = picture
        self._measurer.ask(WantedReadings(picture, recipe, self._visible, self._station, moving))

    def sift(self) -> None:
        """What the user silenced has changed."""
        self.findings = self.unsilenced(self._found)
        self.findingsChanged.emit()

    def unsilenced(self, findings: Iterable[Finding]) -> list[Finding]:
        """Without those that the user silenced."""
        quiet = self._silenced()
        return [finding for finding in findings if not {finding.id, finding.key} & quiet]

    def is_idle(self) -> bool:
        return self._measurer.is_idle()

    def end(self) -> None:
        self._measurer.end()

    def _on_measured(self, wanted: WantedReadings, found: Measured) -> None:
        if wanted.picture is not self._picture:
            return
        if found.readings:
            self.reading = PictureReading({**self.reading.values, **found.readings})
            self.readingsChanged.emit(frozenset(found.readings))
        if found.findings is not None:
            self._found = found.findings
            self.is_measured = True
            self.sift()
