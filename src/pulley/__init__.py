"""Pulley: exploded views that come apart the way the real thing does."""

__version__ = "0.1.0"
