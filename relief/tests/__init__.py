from hypothesis import settings

# the first call of a kernel may compile it, so no example has a deadline
settings.register_profile("without deadline", deadline=None)
settings.load_profile("without deadline")
