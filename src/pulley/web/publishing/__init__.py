"""Teardowns shown to others: read-only links that can be taken back."""
