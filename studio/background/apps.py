from django.apps import AppConfig


class BackgroundConfig(AppConfig):
    """What runs in the background; its tables keep the name that they were made with."""

    name = "studio.background"
    label = "work"
