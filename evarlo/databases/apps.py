from django.apps import AppConfig


class DatabasesConfig(AppConfig):
    name = "evarlo.databases"

    def ready(self) -> None:
        from django.core.signals import request_finished, request_started
        from django.db.backends.signals import connection_created

        from evarlo.databases import marks

        connection_created.connect(marks.watch)
        request_started.connect(marks.begin)
        request_finished.connect(marks.end)
