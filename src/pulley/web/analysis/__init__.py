"""What is worked out about a teardown, by workers, once for all who ask."""
