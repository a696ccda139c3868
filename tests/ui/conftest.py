"""The real window, offscreen."""

import hashlib
import threading

import pytest
from PySide6.QtCore import QEvent
from PySide6.QtWidgets import QApplication

from matiz.measure.table import table
from matiz.raw.decode import Decoder
from matiz.ui.frame.settle import settle
from matiz.ui.frame.window import Window
from matiz.ui.kit import theme
from matiz.ui.kit.application import application
from matiz.work import closing, seeker
from matiz.work.session import Session


@pytest.fixture(autouse=True, scope="session")
def dressed(qapp):
    """Every widget test has the theme and the fonts."""
    theme.apply(application())


@pytest.fixture(autouse=True)
def nothing_failed_to_paint(caplog):
    """A paint event never raises; that it had to be caught is a fault all the same."""
    yield
    assert not [record for record in caplog.get_records("call") if record.name == "matiz"]


@pytest.fixture(autouse=True)
def everything_ends(monkeypatch):
    """However busy the machine is, a window that closes ends all of its threads; `tests/ui/test_closing.py` does not
    wait for them."""
    monkeypatch.setattr(closing, "CLOSE_S", 60.0)
    monkeypatch.setattr(closing._State, "until", None)


@pytest.fixture(autouse=True)
def nothing_is_looked_for_unasked(monkeypatch):
    monkeypatch.setattr(seeker, "AHEAD_MS", 10**7)


@pytest.fixture(scope="session")
def readings_kept():
    """Those that windows of this process took."""
    return {}


@pytest.fixture(autouse=True, scope="module")
def readings_once(readings_kept):
    """Windows of these tests open the same few pictures: their readings are taken once in a process. Each is kept under
    a key that stands for all that it depends on (tests/measure/test_change.py holds that)."""
    kept, made, lock = readings_kept, table.TableMeter.__init__, threading.RLock()

    def init(self, engine, readings):
        made(self, engine, readings)
        frame = engine.frame
        pixels = frame.mosaic.values if frame.mosaic is not None else frame.linear
        content = hashlib.blake2b(pixels.tobytes()).digest()
        # what is found aside may be put there by a test
        own = {each.make for each in self._table.values() if each.also is not table.nothing_else}
        self._lock = lock
        for make in self._kept.keys() - own:
            self._kept[make] = kept.setdefault((content, frame.path.name, make), self._kept[make])

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(table.TableMeter, "__init__", init)
        yield


@pytest.fixture(scope="session")
def idle_decoders():
    """Processes that a window left; they end with this one."""
    idle = []
    yield idle
    for process in idle:
        process.kill()
        process.communicate()


@pytest.fixture(autouse=True, scope="module")
def decoders_handed_on(idle_decoders):
    """A window that closes leaves its idle decoder processes to the next one: starting one takes a second."""
    idle, running = idle_decoders, Decoder._running

    def stop(self):
        self.interrupt()
        with self._lock:
            if self._process is not None and self._process.poll() is None:
                idle.append(self._process)
            self._process = None

    def take(self):
        if self._process is None and idle:
            self._process = idle.pop()
        return running(self)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Decoder, "stop", stop)
        patch.setattr(Decoder, "_running", take)
        yield


@pytest.fixture
def window(qapp, shoot):
    """The window on a copy of the small shoot, at rest; closing it must end its threads."""
    made = Window(Session())
    made.show()
    made.activateWindow()
    made.open_paths([shoot])
    settle(made)
    yield made
    settle(made)
    made.close()
    left = {t.name for t in threading.enumerate()} & {"render", "measure", "dust view"}
    assert not left, f"threads left behind: {left}"
    made.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
