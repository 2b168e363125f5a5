from django.apps import AppConfig


class CatalogueConfig(AppConfig):
    """Registers the kind of work that the catalogue has."""

    name = "catalogue"

    def ready(self) -> None:
        import catalogue.tasks  # noqa: F401 - says who carries out its kind of work
