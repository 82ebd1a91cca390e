"""Results as plain dictionaries of numbers, for JSON: the form in which one program checks another's figures."""

from trialcore.formats.figures.blocks import block_figures

__all__ = ["block_figures"]
