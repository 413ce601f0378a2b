"""Commands cut off from the network and from all files but those they are given.

By bubblewrap (Debian's package), which uses the kernel's namespaces without being root. Where it is missing
or not allowed, commands run as they are, with the limits of `enamel.core.limited` alone; `enamel doctor`
tells which it is.
"""

import os
import shutil
import subprocess
import sys
from collections.abc import Iterable, Iterator
from functools import lru_cache
from pathlib import Path

import enamel

PACKAGE = Path(enamel.__path__[0])
SYSTEM = ("/usr", "/bin", "/lib", "/lib64", "/etc/ld.so.cache", "/etc/fonts", "/sys")
"""What programs need of the system, to read."""
DEVICES = ("dri", "kfd", "nvidia*", "accel")
"""Devices that networks run on, under ``/dev``."""
FOLDERS = ("ENAMEL_MODELS", "ENAMEL_CHECKPOINTS", "ENAMEL_PROFILES", "ENAMEL_WEIGHTS")
"""Variables that name folders of models and profiles, to read."""
VARIABLES = ("ENAMEL_DEVICE", "ENAMEL_THREADS", "LANG", "LC_ALL", "PATH", *FOLDERS)
"""Variables that are passed on; others may hold passwords."""
OWN_TMP = {"HOME": "/tmp", "TMPDIR": "/tmp", "NUMBA_CACHE_DIR": "/tmp/numba"}
"""A ``/tmp`` in memory, gone with the process."""
TRIED_SECONDS = 10
MOST_LINKS = 2000
"""Files of a folder that are looked at for links to elsewhere."""


def sandboxed(
    command: list[str], *, readable: Iterable[Path] = (), writable: Iterable[Path] = ()
) -> list[str]:
    """Return a command that runs another one in a sandbox, or that command where there is none.

    Parameters
    ----------
    readable : files and folders that it may read, with what they link to, beside Python, Enamel and models.
    writable : folders that it may write in.
    """
    if not available():
        return command
    return [*_sandbox(readable, writable), *command]


@lru_cache
def available() -> bool:
    """Return whether bubblewrap is installed and may make namespaces here."""
    if shutil.which("bwrap") is None:
        return False
    try:
        tried = subprocess.run(
            [*_sandbox((), ()), "true"], capture_output=True, timeout=TRIED_SECONDS, check=False
        )
    except subprocess.TimeoutExpired:
        return False
    return tried.returncode == 0


def _sandbox(readable: Iterable[Path], writable: Iterable[Path]) -> list[str]:
    sandbox = ["bwrap", "--unshare-all", "--die-with-parent", "--new-session", "--cap-drop", "ALL",
               "--proc", "/proc", "--dev", "/dev", "--tmpfs", "/tmp", "--clearenv"]  # fmt: skip
    for name in VARIABLES:
        if name in os.environ:
            sandbox += ["--setenv", name, os.environ[name]]
    modules = os.pathsep.join(map(str, [PACKAGE.parent, *_module_folders()]))
    for name, value in {**OWN_TMP, "PYTHONPATH": modules}.items():
        sandbox += ["--setenv", name, value]
    for device in (found for name in DEVICES for found in Path("/dev").glob(name)):
        sandbox += ["--dev-bind-try", str(device), str(device)]
    for path in [*map(Path, SYSTEM), *_python(), *_folders(), *_with_targets(readable)]:
        sandbox += ["--ro-bind-try", str(path), str(path)]
    for path in writable:
        sandbox += ["--bind", str(path), str(path)]
    return [*sandbox, "--chdir", "/tmp", "--"]


def _python() -> Iterator[Path]:
    """Yield where Python, its packages and Enamel are; not the folder that Enamel is in, which may hold
    pictures and passwords.
    """
    yield from (Path(sys.base_prefix), Path(sys.prefix), PACKAGE, *_module_folders())


def _module_folders() -> list[Path]:
    return [Path(entry) for entry in os.environ.get("PYTHONPATH", "").split(os.pathsep) if entry]


def _folders() -> Iterator[Path]:
    named = (os.environ.get(name) for name in FOLDERS)
    yield from _with_targets(Path(name) for name in named if name)


def _with_targets(paths: Iterable[Path]) -> Iterator[Path]:
    """Yield paths, and the files and folders elsewhere that links in them lead to."""
    for path in paths:
        yield path.absolute()
        inner = (item for _, item in zip(range(MOST_LINKS), path.rglob("*"), strict=False))
        for item in (path, *(inner if path.is_dir() else ())):
            if item.is_symlink() and item.exists():
                yield item.resolve()
