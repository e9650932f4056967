"""Reading histories from files and writing publications to them."""
