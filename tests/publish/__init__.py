"""What leaves Pulley: the painter, films, and files read back by other programs."""
