"""Timing whole commands: the best of several runs, and the largest memory any of them took."""

import os
import subprocess
import sys
import time
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

# As an installed program has it, whatever this shell says.
COMPILED = {"PYTHONDONTWRITEBYTECODE": ""}
PROGRAM = os.path.join(os.path.dirname(sys.executable), "saltcart")


@dataclass(frozen=True, slots=True)
class Run:
    """Seconds and peak bytes of memory."""

    seconds: float
    memory_bytes: int


def timed(words: Sequence[str] | str, runs: int = 3, environment: dict[str, str] | None = None) -> Run:
    """Run a command several times (a text through the shell); the fastest time, the largest memory.  RuntimeError
    when it fails.
    """
    best, memory = float("inf"), 0
    for _run in range(runs):
        began = time.perf_counter()
        child = subprocess.Popen(
            words,
            shell=isinstance(words, str),
            stdout=subprocess.DEVNULL,
            env={**os.environ, **COMPILED, **(environment or {})},
        )
        _pid, status, usage = os.wait4(child.pid, 0)
        child.returncode = os.waitstatus_to_exitcode(status)
        if child.returncode:
            raise RuntimeError(f"{words} ended with {child.returncode}")
        best = min(best, time.perf_counter() - began)
        memory = max(memory, usage.ru_maxrss * (1 if sys.platform == "darwin" else 1024))
    return Run(best, memory)


def in_turns(
    ours: Sequence[str] | str, theirs: Sequence[str] | str, runs: int = 5, environment: dict[str, str] | None = None
) -> tuple[Run, Run]:
    """Both commands in turns, for a machine's pace changes from one minute to the next; the best of each."""
    pairs = [(timed(ours, 1, environment), timed(theirs, 1, environment)) for _turn in range(runs)]
    return best(ours for ours, _theirs in pairs), best(theirs for _ours, theirs in pairs)


def best(runs: Iterable[Run]) -> Run:
    """The fastest, with the largest memory."""
    some = list(runs)
    return Run(min(run.seconds for run in some), max(run.memory_bytes for run in some))


def show(name: str, ours: Run, theirs: Run, wanted: float, most_bytes: int = 0) -> bool:
    """Print one ratio against what is wanted; whether it is kept."""
    ratio = ours.seconds / theirs.seconds
    kept = ratio <= wanted and (not most_bytes or ours.memory_bytes <= most_bytes)
    memory = f", {ours.memory_bytes / 1e6:.0f} MB" + (f" (wanted: below {most_bytes / 1e6:.0f})" if most_bytes else "")
    print(
        f"{'kept ' if kept else 'MISSED'} {name}: {ours.seconds:.2f} s against {theirs.seconds:.2f} s, ratio"
        f" {ratio:.2f} (wanted: at most {wanted}){memory}"
    )
    return kept
