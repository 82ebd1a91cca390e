from django.apps import AppConfig


class EventsConfig(AppConfig):
    name = "evarlo.events"

    def ready(self) -> None:
        from evarlo.events import care, events, photos
        from evarlo.events.models import Care
        from evarlo.trials.registry import registry

        for part in (events, care):
            registry.diary.append(part.diary)
            registry.pins.append(part.pins)
            registry.due.append(part.due)
            registry.marks.append(part.marks)
        registry.diary.append(photos.diary)
        registry.ways.append(photos.ways)
        registry.facts.append(care.facts)
        registry.holds = care.held_plots
        registry.cared = care.cared
        registry.care.update(Care.Kind.choices)
