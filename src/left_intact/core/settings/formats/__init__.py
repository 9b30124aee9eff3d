"""One file a settings format; `registry` lists them. docs/extending.md shows how to add one."""
