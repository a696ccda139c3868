"""XMP beside pictures, in the real window: only when it is asked for."""

from PySide6.QtCore import QItemSelectionModel

from matiz.ui.frame.settle import settle


def test_it_is_written_for_the_selected_and_taken_in(window, shoot):
    session, sheet = window.session, window.stations.sort.sheet
    first, second, third = session.pictures
    session.sort_as(first, rank=3, caption="Salt", keywords=("dawn", "pans"))
    session.sort_as(second, rank=5)
    settle(window)
    assert not list(shoot.glob("*.xmp"))
    window.go_to(window.stations.sort)
    sheet.clearSelection()
    for path in (first, second):
        index = sheet.sheet.index(session.pictures.index(path))
        sheet.selectionModel().select(index, QItemSelectionModel.SelectionFlag.Select)
    sheet.selectionModel().setCurrentIndex(index, QItemSelectionModel.SelectionFlag.NoUpdate)
    window.stations.sort.write_xmp()
    settle(window)
    assert sorted(path.name for path in shoot.glob("*.xmp")) == [first.stem + ".xmp", second.stem + ".xmp"]
    assert "XMP written beside 2 pictures" in window.header.word.whole()
    # another picture takes it in
    third.with_suffix(".xmp").write_bytes(first.with_suffix(".xmp").read_bytes())
    first.with_suffix(".xmp").write_bytes(b"damaged")
    sheet.selectAll()
    window.stations.sort.take_in_xmp()
    settle(window)
    document = session.document_of(third)
    assert (document.rank, document.caption, document.keywords) == (3, "Salt", ("dawn", "pans"))
    assert session.document_of(first).caption == "Salt", "what cannot be read changes nothing"
    assert "XMP read for 2 pictures" in window.header.word.whole() and first.stem in window.header.word.whole()
