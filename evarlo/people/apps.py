from django.apps import AppConfig


class PeopleConfig(AppConfig):
    name = "evarlo.people"

    def ready(self) -> None:
        from django.contrib.auth.signals import user_logged_in, user_logged_out

        from evarlo.people import signals

        user_logged_in.connect(signals.logged_in)
        user_logged_out.connect(signals.logged_out)
