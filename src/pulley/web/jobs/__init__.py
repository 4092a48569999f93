"""Long work in the background, with progress, a way to stop it, and a second try when a worker dies."""
