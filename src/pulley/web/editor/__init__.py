"""Teardowns: steps, ways out, trail lines, camera views, run chart, history."""
