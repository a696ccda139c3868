"""Faults of ours are said in the window, with where the details lie."""

import logging
import threading

from matiz.ui.frame.settle import settle
from matiz.work.jobs import Job

from .waiting import wait_for


def test_a_fault_is_said_and_can_be_closed(window, caplog):
    bar = window.fault_bar
    assert not bar.isVisible()
    Job(lambda _: 1 / 0, "weighing").start()
    wait_for(bar.isVisible)
    text = bar.text.text()
    assert "weighing failed: ZeroDivisionError: division by zero" in text and "matiz.log" in text
    bar.dismiss.click()
    assert not bar.isVisible()


def test_what_was_closed_is_not_said_again_and_another_one_is(window, caplog):
    bar = window.fault_bar
    seen = []
    for name in ("weighing", "weighing", "reading"):
        caplog.clear()
        Job(lambda _: 1 / 0, name).start()
        wait_for(lambda name=name: f"{name} failed" in caplog.text)
        settle(window)
        seen.append(bar.isVisible())
        bar.dismiss.click()
    assert seen == [True, False, True]


def test_a_painter_that_fails_is_said_once_it_has_painted(window, caplog, monkeypatch):
    """A bar that is shown in the middle of a paint event would have everything laid out anew in it."""
    in_paint = []
    monkeypatch.setattr(
        type(window.route), "_paint_row", lambda *_: in_paint.append(window.fault_bar.isVisible()) or 1 / 0
    )
    window.route.update()
    wait_for(window.fault_bar.isVisible)
    assert in_paint[0] is False and "painting Route failed" in window.fault_bar.text.text()
    caplog.clear()


def test_one_on_a_thread_of_its_own_is_said_too(window, caplog):
    def work():
        try:
            raise KeyError("gone")
        except KeyError:
            logging.getLogger("matiz.anywhere").exception("looking aside failed")

    thread = threading.Thread(target=work)
    thread.start()
    thread.join()
    wait_for(window.fault_bar.isVisible)
    assert "looking aside failed: KeyError" in window.fault_bar.text.text()


def test_what_is_expected_is_no_fault(window):
    logging.getLogger("matiz.anywhere").error("a file could not be read")
    logging.getLogger("matiz.anywhere").warning("slow")
    settle(window)
    assert not window.fault_bar.isVisible()


def test_a_client_is_not_shown_it(window, caplog):
    window.show_mode.begin("1234", may_mark=False)
    Job(lambda _: 1 / 0, "weighing").start()
    wait_for(lambda: "weighing failed" in caplog.text)
    settle(window)
    assert not window.fault_bar.isVisible()
    window.show_mode.end("1234")


def test_a_window_that_has_gone_hears_of_no_more(window):
    before = len(logging.getLogger("matiz").handlers)
    window.faults.end()
    assert len(logging.getLogger("matiz").handlers) == before - 1
