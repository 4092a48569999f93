"""What each address of the editor answers."""
