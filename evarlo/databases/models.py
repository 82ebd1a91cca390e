from django.db import models


class Mark(models.Model):
    """What a table shows of its state: another mark after every write to it, the same again where the write was taken back.
    The table without a name is all of them. It says nothing of what is recorded, and is made anew where it is missing."""

    name = models.CharField(max_length=100, primary_key=True)
    value = models.BigIntegerField()

    def __str__(self) -> str:
        return self.name or "all"
