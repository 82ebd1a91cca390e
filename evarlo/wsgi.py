"""The door for the server."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "evarlo.settings")
application = get_wsgi_application()
