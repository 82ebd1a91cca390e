from django.apps import AppConfig


class PeopleConfig(AppConfig):
    name = "evarlo.people"

    def ready(self) -> None:
        from django.contrib.auth.signals import user_logged_in, user_logged_out, user_login_failed

        from evarlo.people import audit, signals

        for module in (signals, audit):
            user_logged_in.connect(module.logged_in)
            user_logged_out.connect(module.logged_out)
        user_login_failed.connect(audit.refused)
