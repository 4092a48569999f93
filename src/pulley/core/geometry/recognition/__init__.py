"""What surfaces a mesh was made from: planes, cylinders, cones, spheres and tori, found again in its triangles."""
