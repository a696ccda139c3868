"""Deliveries on a dask cluster, and a cluster of this machine's.

Who reaches a dask scheduler runs code on all its workers, and on all its clients: see docs/security.md. A cluster that
is started here is therefore reached from this machine alone, or by TLS with keys that the user names.
"""

import ipaddress
import os
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from ..errors import ArgumentError, FileError
from ..system.import_path import make_children_safe
from .batch import Done, Task, run_task

LOOPBACK = "127.0.0.1"


@dataclass(frozen=True)
class Keys:
    """Files in PEM for TLS: of the authority that all certificates are signed by, and this side's own two."""

    authority: Path
    certificate: Path
    key: Path


def is_loopback(host: str) -> bool:
    """Whether a host is this machine and reached by nobody else."""
    try:
        return ipaddress.ip_address(host.strip("[]")).is_loopback
    except ValueError:
        return host == "localhost"


def check_address(address: str, *, trusts_network: bool = False) -> None:
    """ArgumentError for an address that is none, or where plain TCP to another machine was not asked for in so many
    words."""
    parts = urlsplit(address)
    try:
        host, port = parts.hostname, parts.port
    except ValueError:
        host, port = None, None
    if parts.scheme not in ("tcp", "tls") or not host or not port:
        raise ArgumentError(f"--cluster: expected tcp://HOST:PORT or tls://HOST:PORT, got {address!r}")
    if parts.scheme == "tcp" and not is_loopback(host) and not trusts_network:
        raise ArgumentError(
            f"--cluster: {address} is on another machine and not encrypted: whoever can reach it, or answer for it, "
            "runs code here. Use tls:// with --tls-ca, --tls-cert and --tls-key, or add --trust-network"
        )


def run_on_cluster(
    tasks: list[Task], address: str, *, keys: Keys | None = None, trusts_network: bool = False
) -> Iterator[Done]:
    """On the workers of a dask.distributed scheduler, who see pictures and folder under the same paths. A worker that
    dies has its picture given to another."""
    check_address(address, trusts_network=trusts_network)
    try:
        from distributed import Client
        from distributed import as_completed as completed
    except ImportError:
        raise ArgumentError("--cluster: install the extra matiz[cluster] on every machine first") from None
    try:
        client = Client(address, timeout="10s", set_as_default=False, security=_security(keys, address))
    except OSError as gone:
        raise FileError(f"{address}: no scheduler answers ({gone}); start one first") from None
    with client, client.as_current():
        waiting: dict[Any, Task] = {client.submit(run_task, task, pure=False, retries=3): task for task in tasks}
        for future in completed(list(waiting)):
            error = future.exception()
            yield future.result() if error is None else Done(waiting[future], None, f"its worker failed ({error})")


@contextmanager
def local_cluster(workers: int = 0, *, host: str = LOOPBACK, port: int = 0, keys: Keys | None = None) -> Iterator[str]:
    """A scheduler and workers on this machine; the address of the scheduler. They end with it.

    workers: as many as there are cores where it is 0. host: of the interface that it is reached by; anything but the
    loopback needs keys. port: any free one where it is 0. Raises ArgumentError.
    """
    if not is_loopback(host) and keys is None:
        raise ArgumentError(f"--host {host}: others can reach it; give --tls-ca, --tls-cert and --tls-key too")
    try:
        from distributed import LocalCluster
    except ImportError:
        raise ArgumentError("cluster: install the extra matiz[cluster] first") from None
    make_children_safe()
    scheme = "tcp" if keys is None else "tls"
    with LocalCluster(
        n_workers=workers or os.cpu_count() or 1,
        threads_per_worker=1,
        host=host,
        scheduler_port=port,
        protocol=scheme,
        dashboard_address=None,
        worker_dashboard_address=None,
        security=_security(keys, f"{scheme}://"),
    ) as cluster:
        yield str(cluster.scheduler_address)


def _security(keys: Keys | None, address: str) -> Any:
    """dask's own settings; nothing where there is nothing to encrypt."""
    if keys is None and address.startswith("tcp://"):
        return None
    from distributed.security import Security

    if keys is None:
        return Security(require_encryption=True)  # what dask's own configuration names
    own = {"tls_ca_file": str(keys.authority)}
    for role in ("client", "scheduler", "worker"):
        own |= {f"tls_{role}_cert": str(keys.certificate), f"tls_{role}_key": str(keys.key)}
    missing = [path for path in (keys.authority, keys.certificate, keys.key) if not path.is_file()]
    if missing:
        raise FileError(f"{missing[0]}: there is no such file")
    return Security(require_encryption=True, **own)
