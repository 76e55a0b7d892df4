"""What an instrument plays, by an independent reader."""

import os
import re

WORD = re.compile(
    r'#define +(\$\w+) +(\S+)|#include +"([^"]+)"|default_path=(\S*)|sample=([^\n<]+?)(?= *(?://|<|\n|\Z))'
)


def played(main, inner=None, state=None):
    """What an instrument plays: every sample with whether it is there, text put in for variables as it comes."""
    folder, state = os.path.dirname(main), state if state is not None else {"": ""}
    with open(inner or main, encoding="utf-8", newline="") as stream:
        text = stream.read()
    for word in WORD.finditer(text):
        name, meaning, include, default, sample = word.groups()
        if name:
            state[name] = meaning
            continue
        value = (include or default or sample or "").replace("\\", "/")
        for variable in sorted(filter(None, state), key=len, reverse=True):
            value = value.replace(variable, state[variable])
        if include:
            yield from played(main, os.path.join(folder, value), state)
        elif sample:
            place = os.path.normpath(os.path.join(folder, state[""] + value.strip()))
            yield os.path.basename(place), os.path.isfile(place)
        else:
            state[""] = value
