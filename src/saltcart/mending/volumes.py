"""Folders that are alike but for a number: volumes, editions, years.  What is in one is not what is in the other."""

import re
import unicodedata

ROMAN = ("i", "ii", "iii", "iv", "v", "vi", "vii", "viii", "ix", "x", "xi", "xii")
WORD_OR_NUMBER = re.compile(r"\d+|[^\W\d_]+")


def other_volume(one: str, other: str) -> bool:
    """Whether the names of two folders differ only in their numbers, such as "Vol 1" and "Vol 2"; the first of a row
    may have none.
    """
    words, numbers = told(one)
    others, more = told(other)
    return (
        words == others and (numbers or [1]) != (more or [1]) and (len(numbers) == len(more) or not numbers or not more)
    )


def told(name: str) -> tuple[list[str], list[int]]:
    """The words and the numbers of a name."""
    words: list[str] = []
    numbers: list[int] = []
    for part in WORD_OR_NUMBER.findall(unicodedata.normalize("NFC", name).casefold()):
        if part in ROMAN or part.isdecimal():
            numbers.append(int(part) if part.isdecimal() else ROMAN.index(part) + 1)
        else:
            words.append(part)
    return words, numbers


def volumes_differ(lost: str, found: str) -> str:
    """What to say when the folders where two paths part, from their ends, are each other's volumes; else ""."""
    pairs = zip(lost.split("/")[-2::-1], found.split("/")[-2::-1], strict=False)
    one, other = next((pair for pair in pairs if pair[0] != pair[1]), ("", ""))
    return f'"{one}" is not "{other}"' if one and other and other_volume(one, other) else ""
