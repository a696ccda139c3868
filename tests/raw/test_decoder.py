"""The decoder process: slow, stopped, dead and talkative; none of it makes a healthy file a damaged one."""

import subprocess
import sys
import threading
import time

import pytest

from matiz.develop.graph.as_file import write_frame
from matiz.errors import Cancelled, FileError, FormatError
from matiz.raw import decode
from matiz.raw.decode import Decoder
from matiz_simcam.camera import Settings, expose
from matiz_simcam.targets import grey


@pytest.fixture
def dng(tmp_path):
    write_frame(expose(grey((90, 60)), Settings()), tmp_path / "a.dng")
    return tmp_path / "a.dng"


@pytest.fixture
def decoder():
    made = Decoder()
    yield made
    made.stop()


def stand_in(monkeypatch, *scripts: str) -> list[subprocess.Popen]:
    """The decoder's processes are these scripts, one after the other, and the real one after the last."""
    left, real, begun = list(scripts), Decoder._running, []

    def running(self):
        if self._process is not None and self._process.poll() is None:
            return self._process
        if not left:
            return real(self)
        self._kill()
        command = [sys.executable, "-c", left.pop(0)]
        self._process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
        begun.append(self._process)
        return self._process

    monkeypatch.setattr(Decoder, "_running", running)
    return begun


WAITS = "import sys, time; sys.stdin.readline(); time.sleep(60)"
COMPUTES = "import sys; sys.stdin.readline()\nwhile True: pass"
TALKS = "import sys; sys.stdin.readline()\nwhile True: sys.stdout.write('x' * 2**20); sys.stdout.flush()"
HALF_A_LINE = "import sys, time; sys.stdin.readline(); sys.stdout.write('{'); sys.stdout.flush(); time.sleep(60)"


def test_a_busy_machine_makes_no_file_a_damaged_one(dng, monkeypatch, decoder):
    """The limit is of the child's processor time: by the clock it took ten times as long."""
    answers = 'import sys, time; sys.stdin.readline(); time.sleep(1.5); print(\'{"error": "answered"}\', flush=True)'
    stand_in(monkeypatch, answers)
    decoder._time_limit_s = 0.3
    with pytest.raises(FormatError, match="answered"):
        decoder.frame(dng)


def test_what_computes_for_too_long_is_given_up(dng, monkeypatch, decoder):
    stand_in(monkeypatch, COMPUTES)
    decoder._time_limit_s = 0.5
    with pytest.raises(FormatError, match="took over"):
        decoder.frame(dng)
    decoder._time_limit_s = 60.0
    assert decoder.frame(dng).size == (90, 60)


@pytest.mark.parametrize("script", [WAITS, HALF_A_LINE])
def test_a_disk_that_does_not_answer_is_called_that(dng, monkeypatch, decoder, script):
    stand_in(monkeypatch, script)
    decoder._time_limit_s = 0.1
    with pytest.raises(FileError, match="the disk does not respond") as caught:
        decoder.frame(dng)
    assert not isinstance(caught.value, FormatError), "nothing is said against the file"


def test_an_answer_without_end_is_cut_off(dng, monkeypatch, decoder):
    monkeypatch.setattr(decode, "MOST_ANSWER", 2**22)
    stand_in(monkeypatch, TALKS)
    with pytest.raises(FormatError, match="crashed"):
        decoder.frame(dng)


def _asked(decoder, path, wanted):
    """A request on a thread of its own; what became of it."""
    outcome = []

    def ask():
        try:
            outcome.append(decoder.frame(path, wanted).size)
        except Exception as error:
            outcome.append(error)

    thread = threading.Thread(target=ask)
    thread.start()
    return thread, outcome


def test_only_what_is_not_wanted_any_more_is_interrupted(dng, monkeypatch, decoder):
    """B, A, B within a moment: the second request for B was killed for the sake of the first, and B "damaged"."""
    begun = stand_in(monkeypatch, WAITS)
    wants_first = [True]
    first, became = _asked(decoder, dng, lambda: wants_first[0])
    _until(lambda: decoder._busy is not None)
    decoder.interrupt_unwanted()
    time.sleep(0.1)
    assert begun[0].poll() is None, "it is still wanted"
    wants_first[0] = False
    second, second_became = _asked(decoder, dng, lambda: True)
    decoder.interrupt_unwanted()
    first.join(10.0)
    assert isinstance(became[0], Cancelled)
    decoder.interrupt_unwanted()
    second.join(30.0)
    assert second_became == [(90, 60)]


def test_a_process_killed_for_an_earlier_request_is_replaced(dng, monkeypatch, decoder):
    """It may die a moment after the next request was given to it."""
    begun = stand_in(monkeypatch, WAITS)
    thread, outcome = _asked(decoder, dng, lambda: True)
    _until(lambda: decoder._busy is not None)
    decoder._given_up = decode._Request(begun[0], lambda: False)
    begun[0].kill()
    thread.join(30.0)
    assert outcome == [(90, 60)]


def test_who_waits_when_it_is_stopped_hears_that_it_was_stopped(dng, monkeypatch, decoder):
    stand_in(monkeypatch, WAITS)
    thread, outcome = _asked(decoder, dng, lambda: True)
    _until(lambda: decoder._busy is not None)
    decoder.stop()
    thread.join(10.0)
    assert isinstance(outcome[0], Cancelled) and "stopped" in str(outcome[0])


def _until(condition, seconds=10.0):
    end = time.monotonic() + seconds
    while not condition() and time.monotonic() < end:
        time.sleep(0.01)
    assert condition()
