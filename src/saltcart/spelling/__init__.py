"""Paths as programs write them.  No file system is touched here.

Paths are `str` with the bytes of undecodable names kept as lone surrogates
(PEP 383), so that every file name survives.  Composed and decomposed accents are
different names here, and each is kept as written.
"""

from saltcart.spelling.base import Spelling, encodable
from saltcart.spelling.foreign import Meanings
from saltcart.spelling.forms import readings, spelling_named, spelling_of
from saltcart.spelling.moves import Move, Moves

__all__ = ["Meanings", "Move", "Moves", "Spelling", "encodable", "readings", "spelling_named", "spelling_of"]
