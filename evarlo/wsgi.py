"""The door for the server."""

import os

import django
from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "evarlo.settings")
django.setup(set_prefix=False)

from evarlo.ui.assets import put_ready  # noqa: E402 - its storage needs the settings

put_ready()
application = get_wsgi_application()
