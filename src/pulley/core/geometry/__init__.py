"""Meshes, frames and features: shapes and where they stand, with no idea of what they are for."""
