"""Jobs and workers: what they report, how they stop, that no fault ends them."""

import threading
import time

from matiz.errors import Cancelled, FileError
from matiz.work.jobs import LONG, QUICK, Job
from matiz.work.latest import LatestWorker


def _said(loop, work) -> list[tuple]:
    """What a job says, in order."""
    job = Job(work, "test")
    heard: list[tuple] = []
    job.started.connect(lambda: heard.append(("started",)))
    job.progressed.connect(lambda share, text: heard.append(("progressed", share, text)))
    job.returned.connect(lambda value: heard.append(("returned", value)))
    job.failed.connect(lambda text: heard.append(("failed", text)))
    job.stopped.connect(lambda: heard.append(("stopped",)))
    done: list[bool] = []
    job.finished.connect(lambda: done.append(True))
    job.start()
    assert loop.run_until(lambda: done, 5.0)
    return heard


def test_a_job_reports_and_returns(plain_loop):
    heard = _said(plain_loop, lambda job: job.progress(0.5, "half") and 7)
    assert heard == [("started",), ("progressed", 0.5, "half"), ("returned", 7)]


def test_a_job_that_fails_says_so(plain_loop):
    def no_space(_job):
        raise FileError("no space")

    def fault(_job):
        return 1 / 0

    assert _said(plain_loop, no_space)[-1] == ("failed", "no space")
    assert "unexpected ZeroDivisionError" in _said(plain_loop, fault)[-1][1], "a fault of ours reaches somebody too"


def test_a_job_can_be_stopped_both_ways(plain_loop):
    def polite(job):
        job.stop()
        return job.progress(0.1)

    def by_error(_job):
        raise Cancelled("stopped by the user")

    assert _said(plain_loop, polite)[-1] == ("stopped",)
    assert _said(plain_loop, by_error)[-1] == ("stopped",)


def test_the_worker_answers_the_latest_and_drops_the_rest(plain_loop):
    gate = threading.Event()
    seen = []

    def answer(request, emit):
        seen.append(request)
        gate.wait(5)
        emit(request * 2)

    worker = LatestWorker(answer, "test-worker")
    answered = []
    worker.answered.connect(lambda request, value: answered.append((request, value)))
    worker.ask(1)
    while not seen:
        time.sleep(0.001)
    for request in (2, 3, 4):
        worker.ask(request)
    assert worker.outdated() and not worker.is_idle()
    gate.set()
    assert plain_loop.run_until(lambda: len(answered) == 2, 5.0)
    assert seen == [1, 4] and answered == [(1, 2), (4, 8)]
    worker.end()
    assert not any(t.name == "test-worker" for t in threading.enumerate())


def test_a_fault_does_not_end_the_worker(plain_loop):
    worker = LatestWorker(lambda request, emit: emit(1 / request), "test-worker")
    failed, answered = [], []
    worker.failed.connect(lambda request, text: failed.append(text))
    worker.answered.connect(lambda request, value: answered.append(value))
    worker.ask(0)
    assert plain_loop.run_until(lambda: len(failed) == 1, 5.0)
    worker.ask(2)
    assert plain_loop.run_until(lambda: len(answered) == 1, 5.0)
    assert "ZeroDivisionError" in failed[0] and answered == [0.5]
    worker.end()


def test_long_work_keeps_no_quick_work_waiting(plain_loop):
    """A delivery and a merge took both threads, and a pick waited for them."""
    gate, done = threading.Event(), []
    for _ in range(4):
        Job(lambda _: gate.wait(10.0), "long").start(LONG)
    quick = Job(lambda _: 1, "quick")
    quick.returned.connect(done.append)
    quick.start()
    try:
        assert plain_loop.run_until(lambda: done, 5.0)
    finally:
        gate.set()
        assert LONG.wait(10.0) and QUICK.wait(10.0)
