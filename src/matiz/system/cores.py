"""Who uses the processor's cores."""

import os

BLAS_THREADS = "OPENBLAS_NUM_THREADS"


def leave_cores_to_matiz() -> None:
    """Have NumPy's linear algebra (OpenBLAS) work on one thread, unless the environment says otherwise.

    Its matrices are small here, and its threads spin while they wait for each other: readings after a change took 1.5
    to 2 times the processor time, and on a busy machine up to 2.5 times the wall time (measured on two cores). This
    has to be called before NumPy is imported; it counts for this process and its children.
    """
    os.environ.setdefault(BLAS_THREADS, "1")
