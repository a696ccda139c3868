"""The contact sheet as a PDF."""

import re

import pytest
from PySide6.QtGui import QImage

from matiz.cli import main
from matiz.errors import Cancelled
from matiz.ui.stations.deliver.sheet_pdf import COLUMNS, ROWS, write_sheet


def picture(grey: int) -> QImage:
    image = QImage(60, 40, QImage.Format.Format_RGB32)
    image.fill(0xFF000000 | grey * 0x010101)
    return image


def test_pages_hold_twenty_pictures_each(qapp, tmp_path):
    cells = [(f"CORVA_{n:04d}.dng", "keep, rank 3", lambda n=n: picture(n)) for n in range(COLUMNS * ROWS + 1)]
    write_sheet(tmp_path / "s.pdf", cells, "shoot")
    data = (tmp_path / "s.pdf").read_bytes()
    assert data.startswith(b"%PDF") and len(re.findall(rb"/Type\s*/Page\b", data)) == 2
    assert len(re.findall(rb"/Subtype\s*/Image", data)) >= len(cells)


def test_stopping_writes_nothing(qapp, tmp_path):
    cells = [("a.dng", "", lambda: picture(9))] * 3
    with pytest.raises(Cancelled):
        write_sheet(tmp_path / "s.pdf", cells, "shoot", lambda done: done < 2)
    assert list(tmp_path.iterdir()) == []


def test_the_command_writes_the_shoot(qapp, shoot, tmp_path, capsys):
    assert main(["sheet", str(shoot), "-o", str(tmp_path / "s.pdf")]) == 0
    assert (tmp_path / "s.pdf").stat().st_size > 5000 and " of " in capsys.readouterr().out
    assert main(["sheet", str(shoot), "-o", str(tmp_path / "s.png")]) == 2
    assert main(["sheet", str(shoot), "-o", str(tmp_path / "t.pdf"), "--kept"]) == 1
