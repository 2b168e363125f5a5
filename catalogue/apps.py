from django.apps import AppConfig


class CatalogueConfig(AppConfig):
    name = "catalogue"

    def ready(self) -> None:
        import catalogue.tasks  # noqa: F401 - says who carries out its kind of work
