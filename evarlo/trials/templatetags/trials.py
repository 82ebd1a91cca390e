"""What a trial's pages print."""

from django import template

from evarlo.trials.models import Trial
from evarlo.trials.queries import without_names

register = template.Library()


@register.simple_tag(takes_context=True)
def unnamed(context: template.Context, text: object, trial: Trial | None = None) -> str:
    """What somebody typed, without the names of a blind trial's cultivars for whoever must not know them."""
    about = trial or context.get("trial")
    request = context.get("request")
    if not isinstance(about, Trial) or request is None:
        return str(text or "")
    return without_names(about, str(text or ""), request.user)
