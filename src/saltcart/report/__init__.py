"""Figures for people."""
