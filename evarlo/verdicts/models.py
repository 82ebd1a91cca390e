"""What the person decided, and the board they signed."""

from django.conf import settings
from django.db import models

from evarlo.trials.models import Entry, Trial
from evarlo.ui.in_force import UndoableAct
from trialcore.inference.verdict import Verdict

PERSON = settings.AUTH_USER_MODEL
VERDICTS = [(v.value, v.value.capitalize()) for v in Verdict]


class Opinion(UndoableAct):
    """A person's verdict on an entry with their reason, for everyone or for some (`whom`). The newest one in force counts; the
    earlier ones stay."""

    entry = models.ForeignKey(Entry, on_delete=models.CASCADE, related_name="opinions")
    verdict = models.CharField(max_length=10, choices=VERDICTS)
    whom = models.CharField(max_length=60, blank=True)  # a use, an environment, a habit of picking; empty is everyone
    reason = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["at", "id"]

    def __str__(self) -> str:
        return f"{self.entry}: {self.verdict}"


class Preference(UndoableAct):
    """One of two entries chosen over the other."""

    entry = models.ForeignKey(Entry, on_delete=models.CASCADE, related_name="preferred")
    over = models.ForeignKey(Entry, on_delete=models.CASCADE, related_name="passed_over")
    whom = models.CharField(max_length=60, blank=True)
    reason = models.CharField(max_length=300)

    class Meta:
        ordering = ["at", "id"]

    def __str__(self) -> str:
        return f"{self.entry} over {self.over}"


class SignedBoard(models.Model):
    """All verdicts of a trial as signed, with the figures they stood on. A new signature is a new row."""

    trial = models.ForeignKey(Trial, on_delete=models.PROTECT, related_name="boards")
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    second_by = models.ForeignKey(PERSON, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    second_at = models.DateTimeField(null=True, blank=True)
    rule = models.JSONField(default=dict)  # its version and bars, and which seasons it rested on
    lines = models.JSONField()
    figures = models.JSONField()
    covariances = models.JSONField(default=list)  # by criterion: the codes, and the covariance of their means
    preferences = models.JSONField(default=list)
    stood_on = models.JSONField()  # trait key -> plot number -> value, as they were

    class Meta:
        ordering = ["at", "id"]

    def __str__(self) -> str:
        return f"{self.trial}, signed {self.at:%-d %b %Y}"


class Lesson(UndoableAct):
    """What a season taught: about its crop, or one of its beds, cultivars or tasks."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="lessons")
    crop = models.ForeignKey("catalogue.Crop", on_delete=models.PROTECT, related_name="lessons")
    cultivar = models.ForeignKey("catalogue.Cultivar", null=True, blank=True, on_delete=models.CASCADE, related_name="lessons")
    bed = models.ForeignKey("grounds.Bed", null=True, blank=True, on_delete=models.CASCADE, related_name="lessons")
    task = models.SlugField(max_length=40, blank=True)
    text = models.CharField(max_length=200)

    class Meta:
        ordering = ["at", "id"]

    def __str__(self) -> str:
        return self.text

    @property
    def about(self) -> str:
        """What it is about, in a word or two."""
        return str(self.cultivar or self.bed or self.task.replace("-", " ") or self.crop)
