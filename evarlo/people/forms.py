"""Forms of people: coming in, being invited, a new password."""

from __future__ import annotations

from typing import Any

from django import forms
from django.contrib.auth.forms import AuthenticationForm
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.validators import RegexValidator
from django.http import HttpRequest

from evarlo.people.guards import is_own_password
from evarlo.people.models import Role
from evarlo.people.places import is_shared_password

ROLES = {
    Role.MANAGER: "plans, sees all names, decides, lets people in",
    Role.EVALUATOR: "walks, counts, picks, compares; no names in a blind trial",
    Role.HELPER: "sows, counts and picks; no names in a blind trial, no results",
    Role.READER: "reads results and reports",
}


class NotTheSample:
    """The password of the sample world can be read by everybody; a real place does not take it."""

    def validate(self, password: str, user: Any = None) -> None:  # noqa: ARG002 (called by its name)
        if is_shared_password(password):
            raise ValidationError("This is the password of the sample world, which everybody can read. Choose another.")

    def get_help_text(self) -> str:
        return "Not the password of the sample world."


class Door(AuthenticationForm):
    """The log-in. In a real place the sample world's password opens nothing, whoever has it."""

    def clean(self) -> dict[str, Any]:
        if is_shared_password(self.cleaned_data.get("password", "")):
            raise ValidationError(
                "This is the password of the sample world; it opens no real place. Ask a manager for a link to set your own."
            )
        return super().clean() or {}


class NewPassword(forms.Form):
    """A password, typed once and to be read while it is typed: who cannot see it types it wrongly."""

    password = forms.CharField(
        label="New password",
        max_length=128,
        strip=False,
        widget=forms.PasswordInput(attrs={"autocomplete": "new-password"}),
        error_messages={"required": "Choose a password of 8 characters or more."},
    )

    def clean_password(self) -> str:
        typed: str = self.cleaned_data["password"]
        validate_password(typed)
        return typed


class ChangePassword(NewPassword):
    """One's own password, for another."""

    old = forms.CharField(
        label="Present password",
        max_length=128,
        strip=False,
        widget=forms.PasswordInput(attrs={"autocomplete": "current-password"}),
        error_messages={"required": "Type the password you log in with now."},
    )
    field_order: tuple[str, ...] = ("old", "password")

    def __init__(self, data: Any, request: HttpRequest) -> None:
        super().__init__(data)
        self.request = request

    def clean_old(self) -> str:
        typed: str = self.cleaned_data["old"]
        if not is_own_password(self.request, typed):
            raise ValidationError("This is not your present password. Capital letters matter.")
        return typed


class Newcomer(NewPassword):
    """Who somebody is and how they log in."""

    first = forms.CharField(label="First name", max_length=60)
    last = forms.CharField(label="Last name", max_length=60, required=False)
    username = forms.CharField(
        label="Log-in name",
        max_length=60,
        validators=[RegexValidator(r"^[\w.+-]+$", "Found a blank or a sign. Expected letters, digits, . - or _, such as ines.")],
        widget=forms.TextInput(attrs={"autocomplete": "username", "autocapitalize": "none"}),
    )
    field_order: tuple[str, ...] = ("first", "last", "username", "password")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["password"].label = "Password"
        for name, what in (("first", "a first name"), ("username", "a name to log in with, such as ines")):
            self.fields[name].error_messages["required"] = f"Found nothing. Expected {what}."


class FirstManager(Newcomer):
    """The first start: what the place is called, and who manages it."""

    place = forms.CharField(
        label="Name of the trial garden",
        max_length=80,
        error_messages={"required": "Found nothing. Expected what you call the place, such as Long Field."},
    )
    key = forms.CharField(label="Key of the first start", max_length=100, required=False)
    field_order = ("place", "first", "last", "username", "password", "key")

    def __init__(self, data: Any, key: str, **kwargs: Any) -> None:
        super().__init__(data, **kwargs)
        self.expected = key

    def clean_key(self) -> str:
        typed: str = self.cleaned_data["key"]
        if typed.strip() != self.expected:
            raise ValidationError("Open the address that `make start` printed, or type the key that stands in it.")
        return typed


class Invite(forms.Form):
    """Whom to let in, and as what."""

    name = forms.CharField(
        label="Name", max_length=80, error_messages={"required": "Found nothing. Expected a name to know them by."}
    )
    role = forms.ChoiceField(label="Role", choices=Role.choices, initial=Role.HELPER)
