"""What leaves the house: pictures now; films, guides and animated glTF as they arrive."""
