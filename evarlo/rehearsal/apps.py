from django.apps import AppConfig


class RehearsalConfig(AppConfig):
    name = "evarlo.rehearsal"
