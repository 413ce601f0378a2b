"""Puts pictures and tiles of the tests in a folder of their own. Loaded before Django's settings."""

import atexit
import os
import shutil
import tempfile

import hypothesis

FOLDER = tempfile.mkdtemp(prefix="enamel-tests-")
atexit.register(shutil.rmtree, FOLDER, ignore_errors=True)
if "ENAMEL_TESTS_FACES" not in os.environ:
    # the first process of a run; the others inherit the folder
    os.environ["ENAMEL_TESTS_FACES"] = tempfile.mkdtemp(prefix="enamel-tests-faces-")
    atexit.register(shutil.rmtree, os.environ["ENAMEL_TESTS_FACES"], ignore_errors=True)
os.environ |= {
    "ENAMEL_MEDIA": f"{FOLDER}/pictures",
    "ENAMEL_WORK": f"{FOLDER}/kiln",
    "ENAMEL_MODELS": f"{FOLDER}/models",
    "ENAMEL_CHECKPOINTS": f"{FOLDER}/checkpoints",
    "ENAMEL_PROFILES": f"{FOLDER}/profiles",
    "ENAMEL_CACHE": f"{FOLDER}/cache",  # one process must not empty another's
    "ENAMEL_PRINT_SHOP": "http://127.0.0.1:9",  # nobody answers there
    "ENAMEL_PLAIN_STATIC": "1",
    "ENAMEL_DEMO": "1",
    # four processes share two cores
    "ENAMEL_THREADS": "1",
    "OMP_NUM_THREADS": "1",
}

# shared machines are at times slow; how long an example takes is not what these tests are about
hypothesis.settings.register_profile("enamel", deadline=None)
hypothesis.settings.load_profile("enamel")
