"""Work beside the hand, for the picture or the shoot that is open."""

from collections.abc import Callable, Hashable
from typing import Any

from .closing import wait_for_pool
from .jobs import LONG, QUICK, Job, Work


class Aside:
    """Jobs whose results are dropped when another picture, or another shoot, is open by the time they are there."""

    def __init__(self, on_failure: Callable[[str], None], open_now: Callable[[bool], Hashable]) -> None:
        """on_failure: is called with the message of a job that failed; open_now: what is open now, the shoot (True) or
        the picture (False)."""
        self._on_failure, self._open_now = on_failure, open_now
        self._jobs: dict[int, Job] = {}
        self._count = 0

    def do(self, work: Work, name: str, then: Callable[[Any], None], *, of_shoot: bool, is_long: bool) -> Job:
        """Start `work`, and call `then` with its result on the loop's thread. is_long: it runs in the pool that does
        not keep quick work waiting."""
        opened = self._open_now(of_shoot)

        def give(result: Any) -> None:
            if self._open_now(of_shoot) == opened:
                then(result)

        job = Job(work, name)
        job.returned.connect(give)
        job.failed.connect(self._on_failure)
        self._count += 1
        turn = self._count
        self._jobs[turn] = job
        job.finished.connect(lambda: self._jobs.pop(turn, None))
        return job.start(LONG if is_long else QUICK)

    def is_idle(self) -> bool:
        return not self._jobs

    def stop(self) -> None:
        """Ask all jobs to stop."""
        for job in tuple(self._jobs.values()):
            job.stop()

    def wait(self) -> None:
        """Wait until they have ended, for as long as closing may take."""
        wait_for_pool(QUICK)
        wait_for_pool(LONG)
