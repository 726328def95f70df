"""For all tests: Hypothesis judges the product, not how fast the machine is today."""

from hypothesis import settings

settings.register_profile("bench", deadline=None)
settings.load_profile("bench")
