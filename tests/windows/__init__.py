"""Tests that run under a Windows Python (see `tools/on_windows.sh`); on other systems they are skipped."""
