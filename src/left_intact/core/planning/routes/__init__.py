"""One file a route; `registry` lists them. docs/extending.md shows how to add one."""
