"""`python -m saltcart`: the same as `saltcart`."""

import sys

from saltcart.cli.main import main

if __name__ == "__main__":  # not in a process that copies, which begins by reading this again
    sys.exit(main())
