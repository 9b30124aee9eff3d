"""One screen a stop of the stage line, and the shelf."""
