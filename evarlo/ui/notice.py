"""Messages to the person, with the way to take the act back where there is one."""

from django.contrib import messages
from django.http import HttpRequest


def say(request: HttpRequest, text: str, undo: str = "") -> None:
    """Say that something was done. `undo` is an address that takes it back when posted to."""
    messages.success(request, text, extra_tags=undo)


def warn(request: HttpRequest, text: str) -> None:
    """Say that something was not done, and why."""
    messages.error(request, text)
    request.not_done = True  # type: ignore[attr-defined] # so that nothing writes it down as done
