"""saltcart demo"""
import argparse
def add_arguments(parser: argparse.ArgumentParser) -> None:
    """x"""
def run(options: argparse.Namespace) -> int:
    """x"""
    return 0
