from django.apps import AppConfig


class ShelfConfig(AppConfig):
    """Registers the kinds of work that the shelf has."""

    name = "studio.shelf"

    def ready(self) -> None:
        import studio.shelf.tasks  # noqa: F401 - says who carries out its kinds of work
