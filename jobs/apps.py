from django.apps import AppConfig


class JobsConfig(AppConfig):
    name = "jobs"

    def ready(self) -> None:
        import jobs.tasks  # noqa: F401 - says who carries out its kind of work
