"""What the library page takes in."""

from django import forms


class BringInForm(forms.Form):
    """One file."""

    file = forms.FileField(
        allow_empty_file=True,
        max_length=500,
        error_messages={
            "required": "No file was chosen. Choose a STEP file (.step, .stp).",
            "max_length": "The file's name has over 500 characters. Shorten it and bring it in again.",
        },
    )
