"""What the editor takes in as a file."""

from django import forms


class TeardownFileForm(forms.Form):
    """A teardown JSON file."""

    file = forms.FileField(
        error_messages={
            "required": "No file was chosen. Choose a teardown file (.json).",
            "empty": "The file is empty. Choose a teardown file that Pulley wrote.",
        }
    )
