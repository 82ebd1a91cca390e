from django.apps import AppConfig


class IdentityConfig(AppConfig):
    name = "evarlo.identity"

    def ready(self) -> None:
        from evarlo.identity import boundaries, doubts
        from evarlo.trials.registry import registry

        registry.diary.append(doubts.diary)
        registry.due.append(doubts.due)
        registry.marks.append(boundaries.marks)
        registry.ways.append(doubts.ways)
