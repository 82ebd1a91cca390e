"""Secrets are made on the first start and kept in the data folder."""

import os
import secrets
from pathlib import Path


def kept_secret(path: Path, size: int = 64) -> str:
    """The secret in `path`, made there when there is none yet, of so many bytes (readable by its owner only)."""
    try:
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return path.read_text().strip()
    with os.fdopen(handle, "w") as file:
        file.write(secrets.token_urlsafe(size))
    return path.read_text().strip()
