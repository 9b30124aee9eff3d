"""What is shown and told of the values of the core: lanes, outlines, views, JSON and one palette, alike for
screen, paper and command line. The core knows none of it.
"""
