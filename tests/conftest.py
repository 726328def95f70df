"""For all tests: Hypothesis judges the product, not how fast the machine is today; and what was
made to run them, which stays, is not looked through for what could go."""

import gc

from hypothesis import settings

settings.register_profile("bench", deadline=None)
settings.load_profile("bench")


def pytest_collection_finish():
    gc.freeze()
    gc.set_threshold(20_000, 20, 50)
