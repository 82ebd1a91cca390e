"""An act that cannot be done, said to the person."""


class Refused(ValueError):
    """An act that cannot be done, with the reason in words for the person. `field` is where it was typed."""

    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.field = field
