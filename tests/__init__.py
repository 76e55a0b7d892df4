"""The tests.  How long an example takes is nobody's concern here: machines differ."""

from hypothesis import Phase, settings

settings.register_profile("patient", deadline=None)
settings.register_profile("quick to fail", deadline=None, phases=[Phase.explicit, Phase.generate])
settings.load_profile("patient")
