"""Files become frames, through a decoder process with limits of time and memory."""

import atexit
import contextlib
import json
import os
import selectors
import subprocess
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass, replace
from functools import cache
from pathlib import Path
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from ..errors import ArgumentError, Cancelled, FileError, FormatError
from ..system.children import start_module
from ..system.files import clear_shared, shared_prefix
from .frame import Calibration, CameraColour, Exposure, Facts, Frame, Merged, Metadata, Mosaic, PictureWords
from .white import found_white

TIME_LIMIT_S, LISTING_LIMIT_S = 60.0, 10.0
"""Processor time that decoding may take: a busy machine makes no file a damaged one."""
PATIENCE = 10.0
"""Times the limit, by the clock: a decoder that computes nothing for so long waits for a disk that does not answer."""
LOOK_S = 0.25
"""Between two looks at what the decoder has taken."""
MOST_ANSWER = 64 * 2**20
TICKS = os.sysconf("SC_CLK_TCK")
PREVIEW_PX = 480
SHARED_MEMORY = Path("/dev/shm")
READABLE = {
    ".dng", ".tif", ".tiff", ".jpg", ".jpeg", ".png", ".3fr", ".arw", ".cr2", ".cr3", ".erf", ".iiq",
    ".mef", ".mos", ".mrw", ".nef", ".nrw", ".orf", ".pef", ".raf", ".rw2", ".rwl", ".srw", ".x3f",
}  # fmt: skip
"""Suffixes, in lower case, of the files that a shoot takes in."""


@dataclass(frozen=True, eq=False)
class _Request:
    """One that is at work."""

    process: subprocess.Popen[bytes]
    wanted: Callable[[], bool]
    """Whether its answer is still wanted."""


class Stoppable(Protocol):
    """Work that somebody may have stopped."""

    @property
    def is_stopped(self) -> bool: ...


class Decoder:
    """One decoder process, started when needed and again after a crash. Safe to share by threads."""

    def __init__(self, time_limit_s: float = TIME_LIMIT_S) -> None:
        self._process: subprocess.Popen[bytes] | None = None
        self._busy: _Request | None = None
        self._given_up: _Request | None = None
        """The last one whose process was killed on purpose."""
        self._lock = threading.Lock()
        self._time_limit_s = time_limit_s

    def start(self) -> None:
        """Start the process ahead of the first request, so that its imports are done by then."""
        clear_shared(SHARED_MEMORY)
        with self._lock:
            self._running()

    def stop(self) -> None:
        """End the process; whoever waits for it gets Cancelled at once."""
        self.interrupt()
        with self._lock:
            self._kill()

    def interrupt(self) -> None:
        """Give up what is being decoded, without waiting for it. The next request starts another process."""
        self._give_up(self._busy)

    def interrupt_unwanted(self) -> None:
        """The same, unless it is still wanted."""
        busy = self._busy
        if busy is not None and not busy.wanted():
            self._give_up(busy)

    def _give_up(self, request: "_Request | None") -> None:
        if request is not None:
            self._given_up = request
            request.process.kill()

    def frame(self, path: Path, wanted: Callable[[], bool] = lambda: True) -> Frame:
        """Decode a file. FileError when it cannot be read, FormatError when it is damaged.

        wanted: asked once it is its turn; when False nothing is decoded and Cancelled is raised.
        """
        with exchange_file() as out:
            answer = self._ask("decode", path, out, wanted)
            try:
                return _frame(path, answer, out)
            except ArgumentError as error:
                raise FormatError(f"{path.name}: damaged: {error}") from None

    def read_for(self, job: Stoppable) -> Callable[[Path], Frame]:
        """`frame`, for work that may be stopped."""
        return lambda path: self.frame(path, lambda: not job.is_stopped)

    def listing(self, path: Path, size_px: int = PREVIEW_PX) -> tuple[NDArray[np.uint8], Facts]:
        """A preview, uint8 (height, width, 4), blue first, upright, at most `size_px` on the long side, and what the
        file says of itself; raw data are not decoded. All of it is done in the decoder's process, under its limits."""
        with exchange_file() as out:
            answer = self._ask("listing", path, out, size_px=size_px, limit_s=min(LISTING_LIMIT_S, self._time_limit_s))
            width, height = answer["size"]
            shot = Exposure(**answer["exposure"])
            facts = Facts(
                answer["camera"], shot, (width, height), answer["orientation"], answer["rating"],
                _merged(answer["merged"]),
            )  # fmt: skip
            return np.array(_mapped(out, answer["preview"])), facts

    def words_beside(self, path: Path) -> PictureWords:
        """What XMP beside a picture says of it; nothing where there is none. FormatError when it is damaged."""
        with exchange_file() as out:
            answer = self._ask("said beside", path, out, limit_s=LISTING_LIMIT_S)
            return PictureWords(answer["rank"], answer["caption"], tuple(answer["keywords"]))

    def packet_saying(self, path: Path, said: PictureWords) -> bytes:
        """The XMP to lie beside a picture: see `beside.packet_saying`."""
        with exchange_file() as out:
            self._ask("packet saying", path, out, limit_s=LISTING_LIMIT_S, said=asdict(said))
            return out.read_bytes()

    def _ask(
        self,
        task: str,
        path: Path,
        out: Path,
        wanted: Callable[[], bool] = lambda: True,
        *,
        size_px: int = 0,
        limit_s: float | None = None,
        said: dict[str, Any] | None = None,
    ) -> dict[str, Any]:
        if not path.is_file():
            raise FileError(f"{path}: there is no such file")
        limit_s = self._time_limit_s if limit_s is None else limit_s
        asked = {"task": task, "path": str(path.resolve()), "out": str(out), "size_px": size_px, "said": said}
        request = json.dumps(asked) + "\n"
        with self._lock:
            if not wanted():
                raise Cancelled("no longer needed")
            line = None
            while line is None:
                line = self._line(request.encode(), path, wanted, limit_s)
        answer: dict[str, Any] = json.loads(line)
        if "error" in answer:
            raise FormatError(f"{path.name}: {answer['error']}")
        return answer

    def _line(self, request: bytes, path: Path, wanted: Callable[[], bool], limit_s: float) -> bytes | None:
        """The answer to a request; None where the process was killed for the sake of an earlier one."""
        process = self._running()
        assert process.stdin
        asked = self._busy = _Request(process, wanted)
        try:
            process.stdin.write(request)
            process.stdin.flush()
            return _read_line(process, limit_s)
        except (BrokenPipeError, TimeoutError) as error:
            self._kill()
            given_up = self._given_up
            if given_up is asked or not wanted():
                raise Cancelled(f"{path.name}: decoding was stopped") from None
            if given_up is not None and given_up.process is process:
                return None
            if isinstance(error, _NoAnswer):
                raise FileError(f"{path}: the disk does not respond; open it again when it does") from None
            reason = f"took over {limit_s:.0f} s" if isinstance(error, TimeoutError) else "crashed"
            raise FormatError(f"{path.name}: decoding {reason}; the file is damaged or not a picture") from None
        finally:
            self._busy = None

    def _running(self) -> subprocess.Popen[bytes]:
        if self._process is None or self._process.poll() is not None:
            self._kill()
            self._process = start_module("matiz.raw.worker", OPENBLAS_NUM_THREADS="1")
        return self._process

    def _kill(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.wait()
            for pipe in (self._process.stdin, self._process.stdout):
                if pipe:
                    with contextlib.suppress(BrokenPipeError):
                        pipe.close()
            self._process = None


class _NoAnswer(TimeoutError):
    """The process waits, and computes nothing."""


def _read_line(process: subprocess.Popen[bytes], limit_s: float) -> bytes:
    """What the process answers, to the end of the line. TimeoutError when it has computed for `limit_s`, or waits much
    longer; BrokenPipeError when it ends before its line does."""
    assert process.stdout
    began, began_s = _processor_s(process), time.monotonic()
    parts: list[bytes] = []
    with selectors.DefaultSelector() as selector:
        selector.register(process.stdout, selectors.EVENT_READ)
        while True:
            if selector.select(min(LOOK_S, limit_s)):
                # what is there, without waiting for a line that may never end
                parts.append(os.read(process.stdout.fileno(), 2**20))
                if parts[-1].endswith(b"\n"):
                    return b"".join(parts)
                if not parts[-1] or sum(map(len, parts)) > MOST_ANSWER:
                    raise BrokenPipeError
            if _processor_s(process) - began > limit_s:
                raise TimeoutError
            if time.monotonic() - began_s > PATIENCE * limit_s:
                raise _NoAnswer


def _processor_s(process: subprocess.Popen[bytes]) -> float:
    """Seconds that a process has computed, all its threads together: fields 14 and 15 of proc(5)."""
    try:
        fields = Path(f"/proc/{process.pid}/stat").read_text().rpartition(")")[2].split()
        return (int(fields[11]) + int(fields[12])) / TICKS
    except (OSError, IndexError, ValueError):
        return 0.0


@cache
def shared_decoder() -> Decoder:
    """The decoder that commands and windows use."""
    decoder = Decoder()
    atexit.register(decoder.stop)
    return decoder


def read_frame(path: Path | str) -> Frame:
    """Decode a raw file or a picture."""
    return shared_decoder().frame(Path(path))


@contextlib.contextmanager
def exchange_file() -> Iterator[Path]:
    """A file for pixels, in memory where the system offers room there."""
    memory = SHARED_MEMORY
    roomy = memory.is_dir() and os.statvfs(memory).f_bavail * os.statvfs(memory).f_frsize > 2**31
    handle, name = tempfile.mkstemp(prefix=shared_prefix(), dir=memory if roomy else None)
    os.close(handle)
    try:
        yield Path(name)
    finally:
        Path(name).unlink(missing_ok=True)


def _from_file(path: Path, about: dict[str, Any]) -> NDArray[Any]:
    """Pixels that lie in the picture's own file, undecoded. FormatError when it ends before them."""
    pixels = np.empty(tuple(about["shape"]), np.dtype(about["dtype"]))
    with path.open("rb", buffering=0) as file:
        file.seek(about["offset"])
        read = file.readinto(pixels.data.cast("B"))
    if read != pixels.nbytes:
        raise FormatError(f"{path.name}: the file is incomplete; copy it again")
    return pixels


def _mapped(out: Path, about: dict[str, Any]) -> NDArray[Any]:
    """The pixels without a copy: the mapping outlives the file's name."""
    shape = tuple(about["shape"])
    return np.asarray(np.memmap(out, dtype=np.dtype(about["dtype"]), mode="r", shape=shape))


def _frame(path: Path, answer: dict[str, Any], out: Path) -> Frame:
    about = {
        "path": path,
        "exposure": Exposure(**answer["exposure"]),
        "camera": answer["camera"],
        "orientation": answer["orientation"],
        "maker": answer["maker"],
        "metadata": _metadata(answer["metadata"]),
    }
    # a picture comes in the working space, a linear DNG with the colour of its camera
    colour = _colour(answer["colour"]) if "colour" in answer else CameraColour()
    if "linear" in answer:
        linear = _mapped(out, answer["linear"])
        merged = _merged(answer.get("merged"))
        return Frame(colour=colour, linear=linear, is_rendered=bool(answer.get("rendered")), merged=merged, **about)
    mosaic = Mosaic(
        _from_file(path, answer["mosaic"]) if "offset" in answer["mosaic"] else _mapped(out, answer["mosaic"]),
        np.array(answer["pattern"], np.uint8),
        np.array(answer["black"], np.float32),
        answer["white"],
    )
    mosaic = replace(mosaic, white=found_white(mosaic))
    profile = tuple((float(a), float(b)) for a, b in answer["noise_profile"])
    return Frame(colour=colour, mosaic=mosaic, noise_profile=profile, **about)


def _merged(given: dict[str, Any] | None) -> Merged | None:
    try:
        return None if given is None else Merged.from_json(given)
    except ValueError as error:
        raise FormatError(f"the decoder's answer cannot be used: {error}") from None


def _metadata(given: dict[str, Any]) -> Metadata:
    exif, iptc = (tuple((str(key), str(text)) for key, text in given[name]) for name in ("exif", "iptc"))
    return Metadata(exif, iptc, str(given["xmp"]))


def _colour(given: dict[str, Any]) -> CameraColour:
    calibrations = tuple(
        Calibration(cct, np.array(matrix), None if forward is None else np.array(forward))
        for cct, matrix, forward in given["calibrations"]
    )
    return CameraColour(calibrations, np.array(given["as_shot_neutral"]), given["baseline_EV"])
