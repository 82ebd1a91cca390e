from django.apps import AppConfig


class PeopleConfig(AppConfig):
    name = "evarlo.people"

    def ready(self) -> None:
        from evarlo.people import signals  # noqa: F401 - its receivers
