"""Giving a file a name that nothing has yet.

`os.replace` and, for files, `os.rename` remove whatever had the name before.  What a person has put there in the
meantime would be gone without a word, so every name that we expect to be free is taken with `rename_new`.
"""

import errno

from saltcart.system import here, os

# What a file system, or an old kernel, answers that does not know the flag.
UNKNOWN_FLAG = (errno.EINVAL, errno.ENOSYS, errno.ENOTSUP)
NO_LINKS = (errno.EPERM, errno.ENOTSUP, errno.ENOSYS, errno.EMLINK, errno.EINVAL)


def rename_new(old: str, new: str) -> None:
    """Give the file or link `old` the name `new` on the same drive.

    Raises FileExistsError when anything has that name, even if it appeared a moment ago.  Where the file system
    cannot rename in this way, a second name is made and the first removed.  Where it knows no second names either,
    an empty file takes the name first and is then replaced; a crash between the two leaves that empty file.
    """
    try:
        rename_exclusively(old, new)
    except OSError as error:
        if error.errno not in UNKNOWN_FLAG:
            raise
        rename_by_steps(old, new)


def rename_exclusively(old: str, new: str) -> None:
    """Rename in one step that fails when `new` exists.  OSError with the system's answer."""
    here.rename_exclusively(old, new)


def rename_by_steps(old: str, new: str) -> None:
    """Rename with the means that every file system has.  FileExistsError when `new` exists."""
    try:
        os.link(old, new, follow_symlinks=False)
    except OSError as error:
        if error.errno not in NO_LINKS:
            raise
        os.close(os.open(new, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600))
        os.replace(old, new)
    else:
        os.unlink(old)
