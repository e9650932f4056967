"""Excel workbooks as places: sheets for people, and a hidden one for what only Veridex reads."""
