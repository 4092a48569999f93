"""Two revisions of one model: what of the new one is what of the old one, and how what was made for one is carried over."""
