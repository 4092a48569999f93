"""Putting an assembly together from loose parts: the room, every change made in it, and taking it over as a revision."""
