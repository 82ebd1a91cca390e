from django.apps import AppConfig


class TrialsConfig(AppConfig):
    name = "evarlo.trials"

    def ready(self) -> None:
        from evarlo.grounds.registry import registry as ground
        from evarlo.trials import bed_doubts, protocol, tasks, words
        from evarlo.trials.registry import registry

        registry.marks.append(words.observed_in_words)
        registry.due.append(tasks.due)
        registry.diary.append(protocol.diary)
        ground.uses.append(bed_doubts.uses_of_trials)
        ground.heights.append(bed_doubts.heights_of_crops)
