"""What leaves Pulley: films, pictures, 3D files, guides, pages and tables. All of it is read from the Score."""
