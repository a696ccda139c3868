"""What is found of the whole shoot, and the lights in it: worked out aside, a moment after more is known."""

import time
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from ....shoot.of_shoot import OfShoot, found
from ....shoot.one_light import OneLight, PictureFacts, balance_of, in_one_light
from ....work.jobs import LONG, Job
from ....work.looking import Looking
from ....work.session import Session

WAIT_MS, REST = 600, 10.0
"""Before it is worked out anew, and how many times what it took last."""


class ShootFindings(QObject):
    """Of the shoot that is open."""

    changed = Signal()

    def __init__(self, session: Session, looking: Looking) -> None:
        super().__init__()
        self.session, self._looking = session, looking
        self.lights: list[OneLight] = []
        self._all: list[OfShoot] = []
        self._job: Job | None = None
        self._has_ended = False
        self._later = QTimer(self, singleShot=True, interval=WAIT_MS)
        self._later.timeout.connect(self._work)
        session.shootChanged.connect(self._forget)

    def soon(self) -> None:
        """Something is known that was not."""
        if not (self._has_ended or self._later.isActive()):
            self._later.start()

    def is_idle(self) -> bool:
        return self._job is None and not self._later.isActive()

    def end(self) -> None:
        """Nobody hears of anything any more."""
        self._has_ended = True
        self._later.stop()

    def findings(self) -> list[OfShoot]:
        """Those that are not silenced."""
        never = self.session.silenced.ids()
        return [each for each in self._all if not {each.id, each.key} & {*never, *self._quiet(each)}]

    def silence(self, finding: OfShoot) -> None:
        """Say no more of it, in this shoot: the document of its first picture keeps that."""
        path = finding.pictures[0]
        if self.session.desk.change(path, silenced=tuple(dict.fromkeys((*self._quiet(finding), finding.key)))):
            self.session.saver.soon()
        self.changed.emit()

    def light_of(self, path: Path) -> OneLight | None:
        """The light that a picture was taken in."""
        return next((light for light in self.lights if path in light.pictures), None)

    def _quiet(self, finding: OfShoot) -> tuple[str, ...]:
        return self.session.document_of(finding.pictures[0]).silenced

    def _forget(self) -> None:
        if self._has_ended:
            return
        self.lights, self._all = [], []
        self.changed.emit()

    def _work(self) -> None:
        if self._job is not None:
            self._later.start()  # the one before it ends first
            return
        desk, briefs = self.session.desk, dict(self._looking.briefs)
        exposures, sets = dict(desk.catalogue.exposures), desk.catalogue.sets
        merged = {name for each in desk.catalogue.merged.values() for name in each.names}

        def work(_: Job) -> tuple[list[OneLight], list[OfShoot], float]:
            began, known = time.perf_counter(), []
            for path, exposure in exposures.items():
                document, brief = desk.document(path), briefs.get(path)
                if document is not None and path not in desk.catalogue.merged:
                    light = balance_of(document.recipe.light, brief)
                    known.append(PictureFacts(path, exposure, brief, light, document.sorted_as))
            lights = in_one_light(known)
            told = found(known, sets, lights, [each.path for each in known if each.path.name in merged])
            return lights, told, time.perf_counter() - began

        shoot = desk.shoot
        self._job = Job(work, "the shoot")
        self._job.returned.connect(lambda result: self._put(shoot, *result))
        self._job.failed.connect(self.session.said.emit)
        self._job.finished.connect(self._on_finished)
        self._job.start(LONG)

    def _put(self, shoot: int, lights: list[OneLight], findings: list[OfShoot], took_s: float) -> None:
        self._later.setInterval(max(WAIT_MS, round(1000.0 * REST * took_s)))
        if shoot == self.session.desk.shoot and not self._has_ended:
            self.lights, self._all = lights, findings
            self.changed.emit()

    def _on_finished(self) -> None:
        self._job = None
