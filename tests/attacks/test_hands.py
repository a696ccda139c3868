"""A short walk of a hand that does anything; ``python -m tests.attacks.hands`` goes on for longer."""

import random

import pytest
from PySide6.QtCore import QEvent
from PySide6.QtWidgets import QApplication, QDialog, QMessageBox

from matiz.ui.frame.settle import settle
from matiz.ui.frame.window import Window
from matiz.ui.kit import theme
from matiz.ui.kit.application import application
from matiz.work.session import Session

from . import hands
from .hands import Hands


def test_two_windows_survive_a_hand_that_does_anything(qapp, shoot, monkeypatch):
    monkeypatch.setattr(QDialog, "exec", lambda self: 0)
    monkeypatch.setattr(QMessageBox, "exec", lambda self: 0)
    # other tests keep the machine busy: what an action may take is asked for in the long walk
    monkeypatch.setattr(hands, "MOST_THREAD_S", 5.0)
    theme.apply(application())
    windows = [Window(Session()) for _ in range(2)]
    for window in windows:
        window.show()
        window.open_paths([shoot])
        settle(window)
    report = Hands(windows, random.Random(11)).run(60)
    for window in windows:
        settle(window)
        assert window.close()
        window.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    assert not report.falls, "\n".join(report.falls)
    assert report.done == 60


def test_the_walk_notices_what_goes_wrong(qapp, shoot, monkeypatch):
    """An action that raises, and a sidecar that nobody wrote."""
    from matiz.recipe.document import Document
    from matiz.shoot.sidecar import save_document

    theme.apply(application())
    window = Window(Session())
    window.open_paths([shoot])
    settle(window)
    walk = Hands([window], random.Random(1))
    path = window.session.path
    window.session.sort_as(path, rank=2)
    settle(window)
    save_document(path, Document(rank=5))
    walk._check_saved("here")
    assert "what no window wrote" in walk.report.falls[0]
    monkeypatch.setattr(walk, "chance", _always(walk.chance, lambda _: [][1]))
    walk._one()
    assert any("IndexError" in fall for fall in walk.report.falls)
    window.close()


def _always(chance, act):
    class Always(random.Random):
        def choices(self, population, weights=None, k=1):
            return [act] if callable(population[0]) else chance.choices(population, weights=weights, k=k)

    return Always(1)


@pytest.fixture(autouse=True)
def patience(monkeypatch):
    from matiz.work import closing

    monkeypatch.setattr(closing, "CLOSE_S", 60.0)
    monkeypatch.setattr(closing._State, "until", None)
