from django.apps import AppConfig


class CompareConfig(AppConfig):
    name = "evarlo.compare"
