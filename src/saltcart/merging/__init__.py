"""Copies of one ledger that were changed apart, brought together by what happened since they were one."""
