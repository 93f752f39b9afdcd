"""From rows of a spreadsheet to orders: which column is what, what figures mean, and what is wrong, in words."""
