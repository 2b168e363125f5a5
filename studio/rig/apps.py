from django.apps import AppConfig


class RigConfig(AppConfig):
    """Registers the kind of work that the rig has."""

    name = "studio.rig"

    def ready(self) -> None:
        import studio.rig.tasks  # noqa: F401 - says who carries out its kind of work
