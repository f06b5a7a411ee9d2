"""The seeds of generated worlds: all of them, or the one that is named in SEED."""

import os

from hypothesis import strategies as st

SEEDS = st.just(int(os.environ["SEED"])) if "SEED" in os.environ else st.integers(0, 2**40)
