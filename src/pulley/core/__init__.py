"""The trade: assemblies, motions, contact, trails and cameras. Imports nothing of the web."""
