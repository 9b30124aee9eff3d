"""Figures of values, to SVG and PDF. Drawn for print: light ground, our colours, letters beside them."""
