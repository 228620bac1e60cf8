"""Gray Kettle: who and what is on the air, what to change, and proof that it helped."""

import os

# Matrix products here are small: a second thread of the numerics library would only wait for the first.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.9.0"
