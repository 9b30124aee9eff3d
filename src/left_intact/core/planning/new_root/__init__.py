"""The new folder of a build that gets one for itself: what is to lie in it, and over what."""
