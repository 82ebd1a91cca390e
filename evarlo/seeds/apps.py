from django.apps import AppConfig


class SeedsConfig(AppConfig):
    name = "evarlo.seeds"
