"""Figures, where people look rather than read: `draw` makes one of `FIGURES`.

What is drawn is worked out in a module for each, and drawn on a `sheet`: in ink, hatching and signs, so that it can be
printed, and read without colour.
"""
