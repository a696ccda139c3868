"""A hand that does anything, in the real window: ``python -m tests.attacks.hands [ACTIONS] [SEED]``.

Every action of the window and of its stations, drags of tapes and on the picture, keys, fixes, deliveries, undo,
merges, and a second window on the same folder, by chance from a seed. After each: no exception, no error in the log,
and little work on the window's thread; after every tenth: the sidecars whole and those that the windows wrote, and
memory under a bound.
"""

import argparse
import logging
import os
import random
import resource
import sys
import tempfile
import time
import traceback
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QMessageBox, QWidget

MOST_MB = 3000.0
MOST_THREAD_S = 0.2
"""Of the window's thread for one action, without what is known to take longer."""
SAVED_WITHIN_S = 1.5
SLOW = {"surround"}
"""Actions that dress the whole window anew."""
LEFT_OUT = {"open", "show", "help", "tether"}
"""Actions that open a dialog of the system, or ask for a PIN."""


@dataclass
class Report:
    """What went wrong, and what it took."""

    falls: list[str] = field(default_factory=list)
    slowest: list[tuple[float, str]] = field(default_factory=list)
    done: int = 0

    def lines(self) -> list[str]:
        slow = ", ".join(f"{name} {1000 * seconds:.0f} ms" for seconds, name in sorted(self.slowest, reverse=True)[:5])
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024.0
        return [f"{self.done} actions, {len(self.falls)} fell, {memory:.0f} MB; most of the window's thread: {slow}",
                *self.falls[:10]]  # fmt: skip


class _Errors(logging.Handler):
    """What is logged as an error, or comes to nobody."""

    def __init__(self) -> None:
        super().__init__(logging.ERROR)
        self.texts: list[str] = []

    def emit(self, record: logging.LogRecord) -> None:
        self.texts.append(self.format(record))


class Hands:
    """Two windows on one folder, and what a hand may do there."""

    def __init__(self, windows: list, chance: random.Random) -> None:
        self.windows, self.chance = windows, chance
        self.report = Report()
        self._errors = _Errors()
        self._hook = sys.excepthook

    def run(self, actions: int) -> Report:
        logging.getLogger("matiz").addHandler(self._errors)
        sys.excepthook = lambda *about: self._errors.texts.append("".join(traceback.format_exception(*about)))
        try:
            for _ in range(actions):
                self._one()
        finally:
            sys.excepthook = self._hook
            logging.getLogger("matiz").removeHandler(self._errors)
        return self.report

    def _one(self) -> None:
        window = self.chance.choices(self.windows, weights=[3, 1][: len(self.windows)])[0]
        kinds: list[tuple[float, Callable[[QWidget], str]]] = [
            (5, self._action), (3, self._drag_tape), (3, self._drag_picture), (2, self._station), (2, self._fix),
            (1, self._key), (1, self._wheel), (1, self._deliver), (1, self._page), (1, self._button),
        ]  # fmt: skip
        act = self.chance.choices([kind for _, kind in kinds], weights=[weight for weight, _ in kinds])[0]
        began = time.thread_time()
        name = act.__name__
        try:
            name = act(window)
        except Exception:
            self.report.falls.append(f"{self.report.done} {name}: {traceback.format_exc(limit=-4)}")
        took = time.thread_time() - began
        self.report.slowest.append((took, name))
        self._pump(self.chance.uniform(0.0, 0.15))
        self._answer_dialogs()
        self.report.done += 1
        self._check(name, took)

    def _check(self, name: str, took: float) -> None:
        falls, where = self.report.falls, f"{self.report.done} {name}"
        if self._errors.texts:
            falls += [f"{where}: {text}" for text in self._errors.texts]
            self._errors.texts.clear()
        if took > MOST_THREAD_S and name not in SLOW:
            falls.append(f"{where}: {1000 * took:.0f} ms of the window's thread")
        if self.report.done % 10 == 0:
            self._check_saved(where)
            memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024.0
            if memory > MOST_MB:
                falls.append(f"{where}: {memory:.0f} MB")

    def _check_saved(self, where: str) -> None:
        from matiz.shoot.sidecar import load_document, sidecar_path

        end = time.monotonic() + SAVED_WITHIN_S + 20.0
        began = time.monotonic()
        for window in self.windows:
            while not window.session.saver.is_idle() and time.monotonic() < end:
                self._pump(0.02)
        waited = time.monotonic() - began
        for window in self.windows:
            desk = window.session.desk
            if not desk.is_saved:
                self.report.falls.append(f"{where}: not saved after {waited:.1f} s")
            for path in window.session.pictures:
                held = desk.documents.known(path)
                if held is None or not sidecar_path(path).exists():
                    continue
                try:
                    on_disk = load_document(path)
                except Exception as error:
                    self.report.falls.append(f"{where}: {path.name}: {error}")
                    continue
                others = [each.session.desk.documents.known(path) for each in self.windows if each is not window]
                if on_disk != held.on_disk and not any(other and other.on_disk == on_disk for other in others):
                    self.report.falls.append(f"{where}: {path.name} on the disk is what no window wrote")

    # ---- what it does

    def _action(self, window) -> str:
        names = [name for name in window.actions_by_name if name not in LEFT_OUT]
        name = self.chance.choice(names)
        window.actions_by_name[name].trigger()
        return name

    def _station(self, window) -> str:
        station = self.chance.choice(list(window.stations))
        window.go_to(station)
        return f"to {station.key}"

    def _visible(self, window, kind: type) -> list:
        return [each for each in window.findChildren(kind) if each.isVisible() and each.isEnabled()]

    def _drag_tape(self, window) -> str:
        from matiz.ui.kit.tape import Tape

        tapes = self._visible(window, Tape)
        if not tapes:
            return "no tape"
        tape = self.chance.choice(tapes)
        at = QPoint(self.chance.randrange(max(tape.width(), 1)), min(48, tape.height() - 1))
        QTest.mousePress(tape, Qt.MouseButton.LeftButton, pos=at)
        for _ in range(self.chance.randrange(1, 6)):
            at += QPoint(self.chance.randrange(-60, 60), 0)
            QTest.mouseMove(tape, at)
            self._pump(0.01)
        if self.chance.random() < 0.2:
            QTest.keyClick(window, Qt.Key.Key_Escape)
        QTest.mouseRelease(tape, Qt.MouseButton.LeftButton, pos=at)
        return f"tape {tape.accessibleName()}"

    def _drag_picture(self, window) -> str:
        view = window.view
        if not view.isVisible():
            return "no picture"
        at = self._place(view)
        button = self.chance.choice([Qt.MouseButton.LeftButton] * 4 + [Qt.MouseButton.RightButton])
        held = self.chance.choice([Qt.KeyboardModifier.NoModifier] * 3 + [Qt.KeyboardModifier.AltModifier])
        if button == Qt.MouseButton.RightButton:
            return "no menu"
        QTest.mousePress(view, button, held, at)
        for _ in range(self.chance.randrange(0, 5)):
            at = self._place(view)
            QTest.mouseMove(view, at)
            self._pump(0.01)
        QTest.mouseRelease(view, button, held, at)
        return "hand on the picture"

    def _place(self, widget: QWidget) -> QPoint:
        return QPoint(self.chance.randrange(max(widget.width(), 1)), self.chance.randrange(max(widget.height(), 1)))

    def _fix(self, window) -> str:
        window.do_first_finding()
        return "fix"

    def _key(self, window) -> str:
        key = self.chance.choice([Qt.Key.Key_Escape, Qt.Key.Key_Left, Qt.Key.Key_Up, Qt.Key.Key_Delete, Qt.Key.Key_Tab])
        QTest.keyClick(QApplication.focusWidget() or window, key)
        return f"key {key.name}"

    def _wheel(self, window) -> str:
        from PySide6.QtGui import QWheelEvent

        view = window.view
        at = QPointF(self._place(view))
        by, none = QPoint(0, self.chance.choice([-120, 120])), Qt.KeyboardModifier.NoModifier
        phase = Qt.ScrollPhase.NoScrollPhase
        event = QWheelEvent(at, view.mapToGlobal(at), QPoint(), by, Qt.MouseButton.NoButton, none, phase, False)
        QApplication.sendEvent(view, event)
        return "wheel"

    def _deliver(self, window) -> str:
        window.stations.deliver.deliver_this()
        return "deliver"

    def _page(self, window) -> str:
        from matiz.ui.stations.paged import PagedStation

        if not isinstance(window.station, PagedStation):
            return "no page"
        title = self.chance.choice(window.station.pages).title
        window.station.turn_to(title)
        return f"page {title}"

    def _button(self, window) -> str:
        from PySide6.QtWidgets import QPushButton

        buttons = [b for b in self._visible(window, QPushButton) if "\u2026" not in b.text() and b.menu() is None]
        if not buttons:
            return "no button"
        button = self.chance.choice(buttons)
        name = f"button {button.text() or button.accessibleName()}"
        button.click()
        return name

    # ---- beside it

    def _pump(self, seconds: float) -> None:
        end = time.monotonic() + seconds
        while True:
            QApplication.processEvents()
            if time.monotonic() >= end:
                return
            time.sleep(0.002)

    def _answer_dialogs(self) -> None:
        for widget in QApplication.topLevelWidgets():
            if isinstance(widget, QDialog) and widget.isVisible():
                widget.reject()
        if QApplication.activePopupWidget() is not None:
            QApplication.activePopupWidget().close()


def refuse_dialogs() -> None:
    """Dialogs that wait are answered at once, with no."""
    QDialog.exec = lambda self: 0  # type: ignore[method-assign,assignment]
    QMessageBox.exec = lambda self: 0  # type: ignore[method-assign,assignment]


def main() -> int:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("actions", type=int, nargs="?", default=300)
    parser.add_argument("seed", type=int, nargs="?", default=1)
    given = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="matiz-hands-") as folder:
        for variable in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"):
            if variable != "XDG_CACHE_HOME":  # built kernels are kept
                os.environ[variable] = f"{folder}/{variable}"
        from matiz.develop.graph.as_file import write_frame
        from matiz.ui.frame.settle import settle
        from matiz.ui.frame.window import Window
        from matiz.ui.kit.application import application
        from matiz.work.session import Session
        from matiz_simcam.shoot import DEMO_SHOTS, simulate

        shoot = Path(folder) / "shoot"
        shoot.mkdir()
        for shot in DEMO_SHOTS:
            if shot.name.removesuffix(".dng") in ("CORVA_0011", "CORVA_0031", "CORVA_0032", "CORVA_0052"):
                write_frame(simulate(shot.scene, (600, 400), shot.settings, view=shot.view), shoot / shot.name)
        refuse_dialogs()
        application()
        windows = [Window(Session()) for _ in range(2)]
        for window in windows:
            window.show()
            window.open_paths([shoot])
            settle(window)
        report = Hands(windows, random.Random(given.seed)).run(given.actions)
        print(*report.lines(), sep="\n", flush=True)
        for window in windows:
            window.close()
    # what is still at work ends with the process, as with the program
    os._exit(1 if report.falls else 0)


if __name__ == "__main__":
    raise SystemExit(main())
