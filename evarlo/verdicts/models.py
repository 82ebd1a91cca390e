"""What the person decided, and the board they signed."""

from django.conf import settings
from django.db import models

from evarlo.trials.models import Entry, Trial
from trialcore.inference.verdict import Verdict

PERSON = settings.AUTH_USER_MODEL
VERDICTS = [(v.value, v.value.capitalize()) for v in Verdict]


class Opinion(models.Model):
    """A person's verdict on an entry with their reason. The newest one counts; the earlier ones stay."""

    entry = models.ForeignKey(Entry, on_delete=models.CASCADE, related_name="opinions")
    verdict = models.CharField(max_length=10, choices=VERDICTS)
    reason = models.CharField(max_length=300, blank=True)
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["at", "id"]

    def __str__(self) -> str:
        return f"{self.entry}: {self.verdict}"


class SignedBoard(models.Model):
    """All verdicts of a trial as signed, with the figures they stood on. A new signature is a new row."""

    trial = models.ForeignKey(Trial, on_delete=models.PROTECT, related_name="boards")
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    lines = models.JSONField()
    figures = models.JSONField()
    stood_on = models.JSONField()  # trait key -> plot number -> value, as they were

    class Meta:
        ordering = ["at", "id"]

    def __str__(self) -> str:
        return f"{self.trial}, signed {self.at:%-d %b %Y}"
