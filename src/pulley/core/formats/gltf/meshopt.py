"""Unpacking what EXT_meshopt_compression holds (Khronos), by meshoptimizer. In the reader's process alone."""

import ctypes

import numpy as np
from meshoptimizer._loader import lib

FILTERS = {
    "OCTAHEDRAL": "meshopt_decodeFilterOct",
    "QUATERNION": "meshopt_decodeFilterQuat",
    "EXPONENTIAL": "meshopt_decodeFilterExp",
}


def unpacked(data: bytes, count: int, stride: int, mode: str, filter: str) -> bytes:
    """The bytes of a packed buffer view: ``count`` rows of ``stride`` bytes.

    Raises
    ------
    ValueError
        When the data is damaged, or its mode or filter is none that there is.
    """
    source = np.frombuffer(data, np.uint8)
    made = np.zeros(count * stride, np.uint8)
    into = made.ctypes.data_as(ctypes.c_void_p)
    bytes_of = source.ctypes.data_as(ctypes.POINTER(ctypes.c_ubyte))
    if mode == "ATTRIBUTES" and stride % 4 == 0:
        failed = lib.meshopt_decodeVertexBuffer(into, count, stride, bytes_of, len(source))
    elif mode == "TRIANGLES" and stride in (2, 4) and count % 3 == 0:
        failed = lib.meshopt_decodeIndexBuffer(into, count, stride, bytes_of, len(source))
    elif mode == "INDICES" and stride in (2, 4):
        failed = lib.meshopt_decodeIndexSequence(into, count, stride, bytes_of, len(source))
    else:
        raise ValueError(f"mode {mode} of {stride} bytes")
    if failed:
        raise ValueError("damaged data")
    if filter in FILTERS:
        undo = getattr(lib, FILTERS[filter])
        undo.argtypes, undo.restype = [ctypes.c_void_p, ctypes.c_size_t, ctypes.c_size_t], None
        undo(into, count, stride)
    elif filter != "NONE":
        raise ValueError(f"filter {filter}")
    return made.tobytes()
