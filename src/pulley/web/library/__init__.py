"""Assemblies: bring in, look through, download."""
