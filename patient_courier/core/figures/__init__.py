"""Rates and the ranges they lie in."""
