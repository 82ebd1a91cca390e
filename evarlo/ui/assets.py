"""Stylesheet, scripts, fonts and icons under names that carry a hash of what is in them, so that a browser may keep them for a
year and never shows an old one; compressed once, beside them."""

from __future__ import annotations

from hashlib import sha256
from pathlib import Path

from django.conf import settings
from django.contrib.staticfiles.finders import get_finders
from django.core.management import call_command
from whitenoise.storage import CompressedManifestStaticFilesStorage


class HashedFiles(CompressedManifestStaticFilesStorage):  # type: ignore[misc]
    """Follows the imports between scripts too: each names the others by their hashed names."""

    support_js_module_import_aggregation = True


def put_ready() -> bool:
    """Bring what pages are built from to where it is served, if anything of it changed; whether anything had.

    What earlier versions were built from stays: a page that was open before an upgrade still finds its own.
    """
    root = Path(settings.STATIC_ROOT)
    mark = root / "made-from.sha256"
    now = _digest()
    if mark.exists() and mark.read_text() == now:
        return False
    call_command("collectstatic", interactive=False, verbosity=0)
    mark.write_text(now)
    return True


def _digest() -> str:
    digest = sha256()
    for finder in get_finders():
        for name, storage in sorted(finder.list(None), key=lambda found: found[0]):
            digest.update(name.encode())
            with storage.open(name) as file:
                digest.update(file.read())
    return digest.hexdigest()
