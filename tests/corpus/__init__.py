"""Labelled installs of made-up programs, built by code: what classification is measured on."""
