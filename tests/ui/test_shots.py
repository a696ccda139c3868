"""The walk through the views that makes their pictures."""

from tools.shots import main


def test_pictures_do_not_go_into_the_demo_shoot(tmp_path, capsys):
    assert main([str(tmp_path), f"{tmp_path}/."]) == 2
    assert "another folder" in capsys.readouterr().err and not list(tmp_path.iterdir())
