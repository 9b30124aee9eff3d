"""The full-screen face. It shows and asks; whatever is about files is asked of the workbench."""
