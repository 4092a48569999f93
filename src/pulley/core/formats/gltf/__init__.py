"""glTF 2.0 (Khronos): written for the canvas and for others, read from anywhere."""

from pulley.core.formats.gltf.write import TO_GLTF, Book, linear, to_glb

__all__ = ["TO_GLTF", "Book", "linear", "to_glb"]
