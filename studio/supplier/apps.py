from django.apps import AppConfig


class CatalogueConfig(AppConfig):
    """Registers the kind of work that the catalogue has."""

    name = "studio.supplier"
    label = "catalogue"

    def ready(self) -> None:
        import studio.supplier.tasks  # noqa: F401 - says who carries out its kind of work
