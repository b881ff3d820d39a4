"""Passes over millions of values that NumPy would make in many steps, compiled by Cython.

A kernel fills arrays that its caller made; it holds no lock of the interpreter meanwhile, so
that threads run side by side. It checks no bounds: the lengths that it needs stand in its
docstring, and its one caller sees to them.
"""
