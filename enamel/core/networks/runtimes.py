"""Networks in ONNX files, ready to run: by OpenVINO, or by ONNX Runtime where that does better.

A network's runtime is chosen when it is tested (`intake`) and written on its card, because the results of
the two differ in the last bits. Both run on ``ENAMEL_THREADS`` threads or all cores; OpenVINO also on the
device that ``ENAMEL_DEVICE`` names (CPU, GPU …), always in 32-bit floats.
"""

import logging
import os
import time
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from enum import StrEnum
from functools import cache
from pathlib import Path
from threading import Lock
from typing import Any

import onnxruntime
import openvino

from enamel.core.errors import Refusal
from enamel.core.imaging.canvas import FloatArray

logger = logging.getLogger(__name__)

MOST_LOADED = 8
"""Most networks in memory at once."""
EARLIER_INPUTS = {"missing": "degradation"}
"""Names that inputs have in files exported before they were renamed, and their names now."""
Inputs = dict[str, FloatArray]
Run = Callable[[Inputs], FloatArray]
"""A loaded network: its inputs by name, and its only output."""


class Runtime(StrEnum):
    """What runs a network."""

    OPENVINO = "openvino"
    ONNXRUNTIME = "onnxruntime"


@dataclass(frozen=True, slots=True)
class Port:
    """An input or output: its name, the type as ONNX calls it, its dimensions, None where free."""

    name: str
    type: str
    shape: tuple[int | None, ...]


@dataclass(frozen=True, slots=True)
class Network:
    """A network with its ports and metadata."""

    inputs: tuple[Port, ...]
    outputs: tuple[Port, ...]
    metadata: dict[str, str]
    """The file's own metadata."""
    run: Run


def running(path: Path, digest: str, runtime: Runtime) -> Run:
    """Return the network in a file, loaded when it is first run, and again after it was released.

    The digest names the content, so that a replaced file is read again.
    """

    def run(given: Inputs) -> FloatArray:
        return _kept(path, digest, runtime)(given)

    return run


class _LoadedNetwork:
    """A loaded network, and when it was used last."""

    def __init__(self, run: Run) -> None:
        self.run = run
        self.used = time.monotonic()

    def __call__(self, given: Inputs) -> FloatArray:
        try:
            return self.run(given)
        finally:
            self.used = time.monotonic()


_loaded: dict[tuple[Path, str, Runtime], _LoadedNetwork] = {}
_loading = Lock()


def _kept(path: Path, digest: str, runtime: Runtime) -> _LoadedNetwork:
    with _loading:
        key = (path, digest, runtime)
        if key not in _loaded:
            if len(_loaded) >= MOST_LOADED:
                del _loaded[min(_loaded, key=lambda one: _loaded[one].used)]
            openvino_runs = runtime is Runtime.OPENVINO
            _loaded[key] = _LoadedNetwork(
                _openvino(path) if openvino_runs else _onnxruntime(_session(path))
            )
        _loaded[key].used = time.monotonic()
        return _loaded[key]


def release_unused(seconds: float) -> int:
    """Evict networks that were not run for a while; return how many."""
    with _loading:
        idle = [key for key, one in _loaded.items() if time.monotonic() - one.used >= seconds]
        for key in idle:
            del _loaded[key]
    return len(idle)


def described(path: Path, runtime: Runtime) -> Network:
    """Return the network in a file with its ports; a `Refusal` when the file can't be run."""
    with refusing():
        session = _session(path)
        run = _openvino(path) if runtime is Runtime.OPENVINO else _onnxruntime(session)
    return Network(
        tuple(_port(given, EARLIER_INPUTS) for given in session.get_inputs()),
        tuple(_port(made) for made in session.get_outputs()),
        dict(session.get_modelmeta().custom_metadata_map),
        run,
    )


def device() -> str:
    """Return where OpenVINO runs networks."""
    return os.environ.get("ENAMEL_DEVICE", "CPU")


@contextmanager
def refusing() -> Iterator[None]:
    """Provide what a runtime raises for a file that it can't run, as a `Refusal`."""
    try:
        yield
    except Exception as error:  # the runtimes raise many kinds, with paths in their messages
        logger.info("a network could not be run: %s", error)
        raise Refusal(
            "This is not an ONNX file that can be run here: it is broken, or uses operations that "
            "neither runtime knows."
        ) from None


def _port(found: Any, renamed: Mapping[str, str] | None = None) -> Port:
    shape = tuple(side if isinstance(side, int) and side > 0 else None for side in found.shape)
    return Port((renamed or {}).get(found.name, found.name), found.type, shape)


def _named_as_in(names: Iterable[str], given: Inputs) -> Inputs:
    """Return inputs under the names that they have in a file."""
    return {name: given[EARLIER_INPUTS.get(name, name)] for name in names}


def _session(path: Path) -> Any:
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = _threads()
    options.enable_cpu_mem_arena = False  # the arena keeps the largest tile's memory for good
    options.log_severity_level = 4
    return onnxruntime.InferenceSession(str(path), options, providers=["CPUExecutionProvider"])


def _onnxruntime(session: Any) -> Run:
    names = [found.name for found in session.get_inputs()]

    def run(given: Inputs) -> FloatArray:
        made: FloatArray = session.run(None, _named_as_in(names, given))[0]
        return made

    return run


@cache
def _core() -> openvino.Core:
    return openvino.Core()


def _openvino(path: Path) -> Run:
    """Return a free request; each serves one call at a time, so there are as many as calls at once."""
    compiled = _core().compile_model(
        _core().read_model(path),
        device(),
        {
            "PERFORMANCE_HINT": "LATENCY",
            "INFERENCE_PRECISION_HINT": "f32",
            **({"INFERENCE_NUM_THREADS": _threads()} if _threads() and device() == "CPU" else {}),
        },
    )
    names = [port.any_name for port in compiled.inputs]
    free: list[openvino.InferRequest] = []
    lock = Lock()

    def run(given: Inputs) -> FloatArray:
        with lock:
            request = free.pop() if free else compiled.create_infer_request()
        try:
            made: FloatArray = request.infer(_named_as_in(names, given))[0].copy()
        finally:
            with lock:
                free.append(request)
        return made

    return run


def _threads() -> int:
    """Threads asked for; 0 for all cores."""
    return int(os.environ.get("ENAMEL_THREADS", "0"))
