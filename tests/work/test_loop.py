"""Loops, timers, signals and pools: what is emitted elsewhere arrives on the loop's thread, in order."""

import gc
import sys
import threading
import time

from matiz.work.loop import Timer
from matiz.work.pool import Pool
from matiz.work.signals import Signal


class Speaker:
    spoke = Signal()
    answered = Signal()


class Listener:
    def __init__(self):
        self.heard = []

    def hear(self, text):
        self.heard.append((text, threading.get_ident()))


def _on_another_thread(call):
    thread = threading.Thread(target=call)
    thread.start()
    thread.join()


def test_a_signal_calls_at_once_on_the_loops_thread(plain_loop):
    speaker, listener = Speaker(), Listener()
    speaker.spoke.connect(listener.hear)
    speaker.spoke.emit("a")
    assert listener.heard == [("a", threading.get_ident())]


def test_from_another_thread_it_arrives_on_the_loops(plain_loop):
    speaker, listener = Speaker(), Listener()
    speaker.spoke.connect(listener.hear)
    _on_another_thread(lambda: [speaker.spoke.emit(n) for n in range(5)])
    assert listener.heard == []
    assert plain_loop.run_until(lambda: len(listener.heard) == 5, 5.0)
    assert listener.heard == [(n, threading.get_ident()) for n in range(5)]


def test_each_object_has_signals_of_its_own(plain_loop):
    one, other, heard = Speaker(), Speaker(), []
    one.spoke.connect(heard.append)
    other.spoke.emit(1)
    one.answered.emit(2)
    assert heard == []


def test_a_callback_gets_as_many_arguments_as_it_takes(plain_loop):
    speaker, heard = Speaker(), []
    speaker.spoke.connect(lambda: heard.append(()))
    speaker.spoke.connect(lambda first: heard.append((first,)))
    speaker.spoke.connect(lambda *all_of_them: heard.append(all_of_them))
    speaker.spoke.emit(1, 2)
    assert heard == [(), (1,), (1, 2)]


def test_what_is_optional_keeps_its_default(plain_loop):
    """A loop's variable that a callback holds as a default is not written over by what is emitted."""
    speaker, heard = Speaker(), []
    for name in "ab":
        speaker.spoke.connect(lambda share, name=name: heard.append((share, name)))
    speaker.spoke.emit(0.5, "text")
    assert heard == [(0.5, "a"), (0.5, "b")]


def test_a_signal_may_be_connected_to_a_signal(plain_loop):
    first, second, heard = Speaker(), Speaker(), []
    first.spoke.connect(second.answered)
    second.answered.connect(heard.append)
    first.spoke.emit("on")
    assert heard == ["on"]


def test_an_object_that_has_gone_is_not_called_and_not_kept(plain_loop):
    speaker, listener = Speaker(), Listener()
    heard = listener.heard
    speaker.spoke.connect(listener.hear)
    del listener
    gc.collect()
    speaker.spoke.emit("a")
    assert heard == [] and speaker.spoke._callbacks == []


def test_one_that_fails_keeps_no_other_from_hearing(plain_loop, monkeypatch):
    errors, heard, speaker = [], [], Speaker()
    monkeypatch.setattr(sys, "excepthook", lambda kind, error, trace: errors.append(kind))
    speaker.spoke.connect(lambda: 1 / 0)
    speaker.spoke.connect(lambda: heard.append(1))
    speaker.spoke.emit()
    assert heard == [1] and errors == [ZeroDivisionError]


def test_a_timer_calls_once_after_its_last_start(plain_loop):
    calls = []
    timer = Timer(lambda: calls.append(time.monotonic()), 60)
    began = time.monotonic()
    timer.start()
    assert timer.is_active() and 0 < timer.remaining_ms() <= 60
    timer.start(120)
    assert plain_loop.run_until(lambda: calls, 5.0)
    assert calls[0] - began >= 0.115 and not timer.is_active() and timer.remaining_ms() == -1
    assert not plain_loop.run_until(lambda: len(calls) > 1, 0.2)


def test_a_timer_that_is_stopped_does_not_call(plain_loop):
    calls = []
    timer = Timer(lambda: calls.append(1), 20)
    timer.start()
    timer.stop()
    assert not plain_loop.run_until(lambda: calls, 0.1)


def test_timers_call_in_the_order_of_their_times(plain_loop):
    calls, timers = [], []
    for name, wait_ms in (("late", 40), ("soon", 10)):
        timers.append(Timer(lambda name=name: calls.append(name), wait_ms))
        timers[-1].start()
    assert plain_loop.run_until(lambda: len(calls) == 2, 5.0)
    assert calls == ["soon", "late"]


def test_a_pool_works_in_order_what_is_urgent_first():
    pool, done, gate = Pool(1), [], threading.Event()
    pool.start(lambda: gate.wait(5.0))
    for n in range(3):
        pool.start(lambda n=n: done.append(n))
    pool.start(lambda: done.append("urgent"), urgent=True)
    assert not pool.wait(0.05)
    gate.set()
    assert pool.wait(5.0) and done == ["urgent", 0, 1, 2]


def test_a_pool_has_as_many_threads_as_it_may_and_no_more():
    pool, at_once, most, lock = Pool(2), [0], [0], threading.Lock()

    def work():
        with lock:
            at_once[0] += 1
            most[0] = max(most[0], at_once[0])
        time.sleep(0.05)
        with lock:
            at_once[0] -= 1

    for _ in range(6):
        pool.start(work)
    assert pool.wait(5.0) and most[0] == 2


def test_what_has_not_begun_can_be_dropped():
    pool, done, gate = Pool(1), [], threading.Event()
    begun = threading.Event()
    pool.start(lambda: (begun.set(), gate.wait(5.0)))
    assert begun.wait(5.0)
    pool.start(lambda: done.append(1))
    pool.clear()
    gate.set()
    assert pool.wait(5.0) and done == []


def test_an_idle_thread_ends_and_one_is_begun_again(monkeypatch):
    monkeypatch.setattr("matiz.work.pool.IDLE_S", 0.05)
    pool, done = Pool(1, "short-lived"), []
    pool.start(lambda: done.append(1))
    deadline = time.monotonic() + 5.0
    while any(t.name == "short-lived" for t in threading.enumerate()) and time.monotonic() < deadline:
        time.sleep(0.01)
    assert not any(t.name == "short-lived" for t in threading.enumerate())
    pool.start(lambda: done.append(2))
    assert pool.wait(5.0) and done == [1, 2]


def test_work_that_fails_does_not_end_the_thread(caplog):
    pool, done = Pool(1), []
    pool.start(lambda: 1 / 0)
    pool.start(lambda: done.append(1))
    assert pool.wait(5.0) and done == [1]
    assert "ZeroDivisionError" in caplog.text
