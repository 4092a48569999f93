"""The Score, which canvas, sheet, film and checks all read: a teardown's motion on one time axis."""
