"""Settings. What differs from place to place comes from the environment; every default is safe."""

import contextlib
import os
from pathlib import Path

from csp.constants import NONE, SELF

from evarlo.databases.settings import database
from evarlo.secret import kept_secret

ROOT = Path(__file__).resolve().parent.parent
DATA = Path(os.environ.get("EVARLO_DATA") or ROOT / "data" / "place")  # the sample world lies in a folder of its own
os.umask(0o077)  # what is made from here on is its owner's alone, also the files that SQLite puts beside its own
DATA.mkdir(parents=True, exist_ok=True)
for kept in (DATA, *DATA.glob("*.sqlite3*")):
    with contextlib.suppress(OSError):  # another person's, or read-only: that is said where it matters
        kept.chmod(0o700 if kept.is_dir() else 0o600)

SECRET_KEY = kept_secret(DATA / "secret.key")
DEBUG = os.environ.get("EVARLO_DEBUG") == "1"
HTTPS = os.environ.get("EVARLO_HTTPS") == "1"
ALLOWED_HOSTS = os.environ.get("EVARLO_HOSTS", "localhost,127.0.0.1,[::1]").split(",")
SCALE = os.environ.get("EVARLO_SCALE", "")  # of the weigh-in bench: simulated, socket:HOST:PORT or file:PATH
SECOND_FACTOR = frozenset(os.environ.get("EVARLO_SECOND_FACTOR", "").split(",")) - {""}  # roles that have to have one
if SECOND_FACTOR - {"manager", "evaluator", "helper", "reader"}:
    raise ValueError("EVARLO_SECOND_FACTOR: expected some of manager, evaluator, helper, reader, with commas between them.")
CSRF_TRUSTED_ORIGINS = [o for o in os.environ.get("EVARLO_ORIGINS", "").split(",") if o]

INSTALLED_APPS = [
    "evarlo.databases",
    "evarlo.ui",
    "evarlo.people",
    "evarlo.catalogue",
    "evarlo.grounds",
    "evarlo.seeds",
    "evarlo.trials",
    "evarlo.nursery",
    "evarlo.walks",
    "evarlo.events",
    "evarlo.pests",
    "evarlo.practice",
    "evarlo.identity",
    "evarlo.harvest",
    "evarlo.tasting",
    "evarlo.effort",
    "evarlo.compare",
    "evarlo.verdicts",
    "evarlo.programmes",
    "evarlo.partners",
    "evarlo.breeding",
    "evarlo.rehearsal",
    "evarlo.exchange",
    "evarlo.api",
    "evarlo.today",
    "evarlo.demo",
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "axes",
    "csp",
    "django_htmx",
    "template_partials",
]

MIDDLEWARE = [
    "evarlo.ui.logged.Logged",
    "django.middleware.security.SecurityMiddleware",
    "evarlo.people.guards.Guards",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.gzip.GZipMiddleware",  # pages; static files are served as they lie
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "evarlo.people.middleware.Roles",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "evarlo.people.middleware.Door",
    "evarlo.people.middleware.Known",
    "evarlo.people.middleware.Units",
    "evarlo.trials.clock.Clock",
    "evarlo.people.middleware.WayBack",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "axes.middleware.AxesMiddleware",
    "evarlo.people.audit.Audited",
    "evarlo.people.once.Once",
]

ROOT_URLCONF = "evarlo.urls"
WSGI_APPLICATION = "evarlo.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "evarlo.people.permissions.acts_allowed",
                "evarlo.people.permissions.whose_place",
            ],
            "builtins": [
                "evarlo.ui.templatetags.ui",
                "evarlo.trials.templatetags.trials",
                "template_partials.templatetags.partials",
            ],
        },
    }
]

CACHES = {
    "default": {"BACKEND": "django.core.cache.backends.locmem.LocMemCache"},
    # What all processes count together: how often a program has asked.
    "rates": {"BACKEND": "django.core.cache.backends.filebased.FileBasedCache", "LOCATION": DATA / "rates", "TIMEOUT": 120},
}
DATABASES = {"default": database(os.environ.get("EVARLO_DATABASE_URL", ""), DATA)}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
TEST_RUNNER = "evarlo.testing.runner.Runner"

AUTH_USER_MODEL = "people.User"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {"NAME": "evarlo.people.forms.NotTheSample"},
]
LOGIN_URL = "people:log-in"
LOGIN_REDIRECT_URL = "today:home"
LOGOUT_REDIRECT_URL = "people:log-in"
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = 0.25
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_LOCKOUT_CALLABLE = "evarlo.people.views.locked_out"
AXES_VERBOSE = False

SESSION_COOKIE_AGE = 60 * 60 * 24 * 30
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = HTTPS
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if HTTPS else None
SECURE_SSL_REDIRECT = HTTPS
SECURE_REDIRECT_EXEMPT = [r"^(health|ready)/$"]  # asked on the machine itself
SECURE_HSTS_SECONDS = 31_536_000 if HTTPS else 0
X_FRAME_OPTIONS = "DENY"
CSRF_FAILURE_VIEW = "evarlo.ui.views.csrf_failed"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "style-src": [SELF],
        "img-src": [SELF, "data:"],
        "font-src": [SELF],
        "connect-src": [SELF],
        "manifest-src": [SELF],
        "worker-src": [SELF],
        "form-action": [SELF],
        "base-uri": [NONE],
        "frame-ancestors": [NONE],
    }
}
DATA_UPLOAD_MAX_MEMORY_SIZE = 6_000_000
FILE_UPLOAD_MAX_MEMORY_SIZE = 6_000_000
DATA_UPLOAD_MAX_NUMBER_FIELDS = 5_000

LANGUAGE_CODE = "en-gb"
TIME_ZONE = os.environ.get("EVARLO_TIME_ZONE", "UTC")
USE_I18N = False
USE_TZ = True

STATIC_URL = "static/"
STATICFILES_DIRS = [ROOT / "evarlo" / "ui" / "static"]
STATICFILES_FINDERS = ["django.contrib.staticfiles.finders.FileSystemFinder"]  # its own only, no package's
STATIC_ROOT = os.environ.get("EVARLO_STATIC") or ROOT / "staticfiles"
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "evarlo.ui.assets.HashedFiles"},
}
WHITENOISE_USE_FINDERS = WHITENOISE_AUTOREFRESH = DEBUG
WHITENOISE_MAX_AGE = 300  # of names without a hash

LINES = "lines" if os.environ.get("EVARLO_LOG") else ""  # each request and error as a line of JSON on standard error
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"line": {"()": "evarlo.ui.logged.AsLine"}},
    "handlers": {
        "stderr": {"class": "logging.StreamHandler"},
        "lines": {"class": "logging.StreamHandler", "formatter": "line"},
    },
    "loggers": {
        "django.request": {"handlers": [LINES or "stderr"], "level": "ERROR", "propagate": False},
        "evarlo.access": {"handlers": [LINES] if LINES else [], "level": "INFO" if LINES else "CRITICAL", "propagate": False},
    },
}
