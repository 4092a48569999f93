"""First contact of sweeps, overlap, and the check of a whole teardown."""
