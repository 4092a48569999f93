"""Revisions: a later state of a model brought in on top of it, and everything that was made carried over."""
