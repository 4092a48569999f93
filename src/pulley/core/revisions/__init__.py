"""Two revisions of one model: what became of each component, and how what was made for one is carried to the other."""
