"""The Django project: thin views over core. A view validates, calls one function or service, and renders."""
