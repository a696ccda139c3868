"""Whom a cluster trusts: nobody but this machine, unless the user names keys or says so."""

import shutil
import socket
import subprocess
from pathlib import Path

import psutil
import pytest

from matiz.deliver import cluster
from matiz.deliver.batch import tasks_for
from matiz.deliver.cluster import Keys, check_address, is_loopback, local_cluster, run_on_cluster
from matiz.deliver.orders import Order
from matiz.develop.graph.as_file import write_frame
from matiz.errors import ArgumentError, FileError
from matiz_simcam.camera import Settings, expose
from matiz_simcam.targets import grey


@pytest.mark.parametrize("host, is_own", [
    ("127.0.0.1", True), ("localhost", True), ("::1", True), ("127.9.9.9", True), ("0.0.0.0", False),
    ("192.168.1.4", False), ("render.example", False), ("localhost.example", False), ("", False),
])  # fmt: skip
def test_which_hosts_are_this_machine(host, is_own):
    assert is_loopback(host) == is_own


@pytest.mark.parametrize("address", ["tcp://192.168.1.4:8786", "tcp://render.example:8786", "tcp://0.0.0.0:1"])
def test_plain_tcp_to_another_machine_has_to_be_asked_for(address):
    with pytest.raises(ArgumentError, match="not encrypted"):
        check_address(address)
    with pytest.raises(ArgumentError, match="not encrypted"):
        list(run_on_cluster([], address))
    check_address(address, trusts_network=True)
    check_address(address.replace("tcp://", "tls://"))


@pytest.mark.parametrize(
    "address", ["", "127.0.0.1:8786", "http://127.0.0.1:1", "tcp://127.0.0.1", "tcp://h:port", "tcp://:1"]
)
def test_what_is_no_address_is_refused(address):
    with pytest.raises(ArgumentError, match="expected tcp://"):
        check_address(address, trusts_network=True)


def test_an_interface_that_others_reach_needs_keys(tmp_path):
    for host in ("0.0.0.0", "192.168.1.4"):
        with pytest.raises(ArgumentError, match="--tls-ca"), local_cluster(1, host=host):
            pass
    none = Keys(*(tmp_path / name for name in ("ca", "cert", "key")))
    with pytest.raises(FileError, match="no such file"), local_cluster(1, keys=none):
        pass


@pytest.fixture(scope="module")
def picture(tmp_path_factory) -> Path:
    path = tmp_path_factory.mktemp("cluster") / "a.dng"
    write_frame(expose(grey((60, 40)), Settings()), path)
    return path


def test_a_cluster_of_this_machine_listens_to_it_alone_and_delivers(picture, tmp_path):
    before = {each.pid for each in psutil.Process().children(recursive=True)}
    with local_cluster(1) as address:
        assert address.startswith("tcp://127.0.0.1:")
        own = [psutil.Process(), *(each for each in psutil.Process().children(True) if each.pid not in before)]
        listening = {c.laddr.ip for each in own for c in each.net_connections("inet") if c.status == psutil.CONN_LISTEN}
        assert listening == {"127.0.0.1"}
        (done,) = run_on_cluster(tasks_for([picture], Order(), tmp_path), address)
        assert done.path is not None and done.path.stat().st_size > 0


@pytest.mark.skipif(not shutil.which("openssl"), reason="no openssl to make keys with")
def test_with_keys_it_is_encrypted_and_strangers_are_refused(picture, tmp_path):
    keys = Keys(tmp_path / "ca.pem", tmp_path / "cert.pem", tmp_path / "key.pem")
    subprocess.run(
        ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=matiz-test",
         "-keyout", keys.key, "-out", keys.certificate],
        check=True, capture_output=True,
    )  # fmt: skip
    shutil.copy(keys.certificate, keys.authority)
    with local_cluster(1, keys=keys) as address:
        assert address.startswith("tls://127.0.0.1:")
        (done,) = run_on_cluster(tasks_for([picture], Order(), tmp_path), address, keys=keys)
        assert done.path is not None
        with pytest.raises((FileError, TypeError, ArgumentError, OSError, RuntimeError)):
            list(run_on_cluster(tasks_for([picture], Order(), tmp_path), address))


def test_nobody_there_is_said(monkeypatch):
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    monkeypatch.setattr(cluster, "check_address", lambda *_, **__: None)
    from distributed import Client

    real = Client.__init__
    monkeypatch.setattr(
        Client, "__init__", lambda self, *given, **named: real(self, *given, **{**named, "timeout": "1s"})
    )
    with pytest.raises(FileError, match="no scheduler answers"):
        list(run_on_cluster([], f"tcp://127.0.0.1:{port}"))
