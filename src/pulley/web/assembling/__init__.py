"""Putting an assembly together from loose parts: the room, every change made in it, and the revision made of it."""
