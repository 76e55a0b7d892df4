"""The record of a trip."""
