"""The one error that core raises for something a user can put right."""


class PulleyError(ValueError):
    """Bad input, with a sentence that says what is wrong and what to do about it."""
