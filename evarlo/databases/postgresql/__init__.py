"""Django's PostgreSQL, with one transaction writing at a time."""
