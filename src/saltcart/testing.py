"""`python -m saltcart.testing FORMAT SAMPLE...`: what every ledger format must keep, tried on samples of one."""

import sys

from saltcart.cli.contract import main

if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
