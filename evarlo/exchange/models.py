"""A sheet that was uploaded and is being looked at before anything is made of it."""

from django.conf import settings
from django.db import models


class Sheet(models.Model):
    name = models.CharField(max_length=120)
    text = models.TextField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    at = models.DateTimeField()
    wanted = models.JSONField(default=dict, blank=True)  # what was chosen for its trial, while it is being brought in
    trial = models.ForeignKey("trials.Trial", null=True, blank=True, on_delete=models.SET_NULL, related_name="sheets")

    class Meta:
        ordering = ["-at"]

    def __str__(self) -> str:
        return self.name
