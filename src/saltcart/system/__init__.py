"""What differs between operating systems: `here` is the one that this runs on, `os` its files and folders.

Everything else in Salt Cart is the same everywhere.  Inside, a path has `/` between its names on every system:
`/keel/Sounds`, `D:/Sounds`, `//server/share/Sounds`.
"""

import sys

from saltcart.system.contract import System

if sys.platform == "win32":
    from saltcart.system import windows
    from saltcart.system import windows_os as os

    here: System = windows
elif sys.platform == "darwin":
    import os

    from saltcart.system import macos

    here: System = macos
else:
    import os

    from saltcart.system import linux

    here: System = linux

__all__ = ["here", "os"]
