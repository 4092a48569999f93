"""What a selection could do next: ways out, and later proposed teardowns."""
