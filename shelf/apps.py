from django.apps import AppConfig


class ShelfConfig(AppConfig):
    """Registers the kinds of work that the shelf has."""

    name = "shelf"

    def ready(self) -> None:
        import shelf.tasks  # noqa: F401 - says who carries out its kinds of work
