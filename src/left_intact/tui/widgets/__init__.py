"""Parts that screens are made of. Each draws values and knows no workbench."""
