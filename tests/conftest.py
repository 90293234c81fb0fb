"""Shared by all tests. Hypothesis is made deterministic, so that the suite gives the same answer twice."""

from hypothesis import settings

settings.register_profile("steady", derandomize=True, deadline=None, database=None)
settings.load_profile("steady")
