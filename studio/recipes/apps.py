from django.apps import AppConfig


class RecipesConfig(AppConfig):
    """Registers the kind of work that series are."""

    name = "studio.recipes"

    def ready(self) -> None:
        import studio.recipes.tasks  # noqa: F401 - says who carries out its kind of work
