"""NumPy's linear algebra leaves the cores to Matiz."""

import os
import subprocess
import sys

from matiz.system.cores import BLAS_THREADS, leave_cores_to_matiz

SAID = f"""
import os, sys
import matiz.__main__ as program
assert "numpy" not in sys.modules, "too late: NumPy has read it by now"
sys.argv = ["matiz", "--version"]
try:
    program.main()
except SystemExit:
    pass
print(os.environ["{BLAS_THREADS}"])
"""


def test_it_is_said_before_numpy_is_imported():
    own = {name: value for name, value in os.environ.items() if name != BLAS_THREADS}
    said = subprocess.run([sys.executable, "-c", SAID], env=own, capture_output=True, text=True, check=True)
    assert said.stdout.split()[-1] == "1"


def test_what_the_environment_says_holds(monkeypatch):
    monkeypatch.setenv(BLAS_THREADS, "4")
    leave_cores_to_matiz()
    assert os.environ[BLAS_THREADS] == "4"
