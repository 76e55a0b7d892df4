"""Chunk files as a program writes them."""

import struct


def chunk(tag, body, order=">"):
    """One chunk, padded."""
    return tag + struct.pack(order + "I", len(body)) + body + b"\0" * (len(body) & 1)
