"""The tests.  How long an example takes is nobody's concern here: machines differ."""

from hypothesis import settings

settings.register_profile("patient", deadline=None)
settings.load_profile("patient")
