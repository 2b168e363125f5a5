from django.apps import AppConfig


class JobsConfig(AppConfig):
    """Registers the kind of work that a delivery is."""

    name = "jobs"

    def ready(self) -> None:
        import jobs.tasks  # noqa: F401 - says who carries out its kind of work
