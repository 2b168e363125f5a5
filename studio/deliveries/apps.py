from django.apps import AppConfig


class JobsConfig(AppConfig):
    """Registers the kind of work that a delivery is."""

    name = "studio.deliveries"
    label = "jobs"

    def ready(self) -> None:
        import studio.deliveries.tasks  # noqa: F401 - says who carries out its kind of work
