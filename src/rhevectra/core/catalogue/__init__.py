"""Catalogues: CSV files with the unit in the column name and a source in every row."""
