"""What the library page takes in."""

from collections.abc import Sequence
from typing import Any

from django import forms
from django.core.files.uploadedfile import UploadedFile
from django.http import HttpRequest

from pulley.core.errors import PulleyError
from pulley.core.formats.reading import Wanted
from pulley.core.formats.registry import UNITS, readable


class Files(forms.FileInput):
    """A field for any number of files."""

    allow_multiple_selected = True


class FilesField(forms.FileField):
    """Any number of files, at least one."""

    widget = Files(attrs={"multiple": True})

    def clean(self, data: Any, initial: Any = None) -> list[UploadedFile[Any]]:
        """Each of the files."""
        given: Sequence[Any] = data if isinstance(data, list | tuple) and data else [data]
        return [super(FilesField, self).clean(file, initial) for file in given]


class BringInForm(forms.Form):
    """One file or several, and where each lay in the folder that was dropped, a line each."""

    file = FilesField(
        allow_empty_file=True,
        max_length=500,
        error_messages={
            "required": f"No file was chosen. Choose {readable()}.",
            "max_length": "The file's name has over 500 characters. Shorten it and bring it in again.",
        },
    )
    places = forms.CharField(required=False, max_length=10**6)


def files_sent(request: HttpRequest) -> dict[str, Any]:
    """The files that a page sent and their places; PulleyError when there is none."""
    form = BringInForm(request.POST, request.FILES)
    if not form.is_valid():
        raise PulleyError(" ".join(map(str, next(iter(form.errors.values())))))
    return form.cleaned_data


class ReadAsForm(forms.Form):
    """What to take where a file says nothing."""

    units = forms.ChoiceField(choices=[(unit, unit) for unit in UNITS], required=False)
    up = forms.ChoiceField(choices=[("z", "z"), ("y", "y")], required=False)
    split = forms.ChoiceField(choices=[("yes", "yes"), ("no", "no")], required=False)

    @property
    def wanted(self) -> Wanted:
        """The same, as core takes it."""
        said = self.cleaned_data
        split = {"yes": True, "no": False}.get(said["split"])
        return Wanted(said["units"] or None, said["up"] or None, split, firm=True)
